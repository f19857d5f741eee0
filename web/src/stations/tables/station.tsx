import { Plus } from "@phosphor-icons/react";
import { Link, useNavigate, useParams } from "@tanstack/react-router";
import { Suspense } from "react";
import type { Schema } from "../../api/client";
import { useChange, useCodebook, useStudy } from "../../api/queries";
import { ActionButton } from "../../parts/actions";
import { arrows, Empty, Panes, Sub } from "../../parts/panes";
import { TableInHand } from "./in-hand";

export type Request = Schema["TableRequest"];

/** A free identifier for a new table. */
function freeId(tables: readonly Request[]) {
  let k = tables.length + 1;
  while (tables.some((t) => t.id === `t${k}`)) k++;
  return `t${k}`;
}

export function TablesStation() {
  const study = useStudy();
  const navigate = useNavigate();
  const { item } = useParams({ strict: false });
  const { change } = useChange();
  const book = useCodebook();
  const tables = study.document.tables ?? [];
  const current = tables.find((t) => t.id === item) ?? (item ? undefined : tables[0]);
  const tabled = book.variables.filter((v) => ["coded", "number", "multi"].includes(v.variable.kind));
  const add = () => {
    const id = freeId(tables);
    const first = tabled.find((v) => v.variable.kind === "coded");
    const request: Request = {
      id,
      title: "New table",
      stub: first ? [first.variable.name] : [],
      banner: [],
      show: ["col_pct"],
    };
    change.mutateAsync({ tables: [...tables, request] }).then(
      () => navigate({ to: "/study/$id/tables/{-$item}", params: { id: study.id, item: id } }),
      () => {},
    );
  };
  return (
    <Panes
      label="Plan of tables"
      left={
        <>
          <ActionButton
            id="new-table"
            label="New table"
            keys="n"
            icon={Plus}
            disabled={change.isPending || !tabled.length}
            run={add}
          />
          <Sub>Plan of tables</Sub>
          <ul onKeyDown={arrows}>
            {tables.map((t) => (
              <li key={t.id}>
                <Link
                  to="/study/$id/tables/{-$item}"
                  params={{ id: study.id, item: t.id }}
                  aria-current={t.id === current?.id ? "true" : undefined}
                  className={`block rounded px-2 py-1.5 hover:bg-wash ${t.id === current?.id ? "bg-wash" : ""}`}
                >
                  <span className="block font-serif leading-snug">{t.title ?? t.id}</span>
                  <span className="text-soft text-sm">
                    {(t.stub ?? []).join(", ") || "no stub yet"}
                    {(t.banner ?? []).length > 0 &&
                      ` by ${(t.banner ?? []).map((b) => (typeof b === "string" ? b : b.join(" › "))).join(", ")}`}
                  </span>
                </Link>
              </li>
            ))}
          </ul>
        </>
      }
      right={
        current ? (
          <Suspense fallback={<p className="text-soft">Counting …</p>}>
            <TableInHand key={current.id} request={current} codebook={book} />
          </Suspense>
        ) : (
          <Empty title={item ? "There is no such table" : "No table yet"}>
            {tabled.length
              ? "A new table begins with a question; choose its stub and banner next."
              : "Tables need coded questions or numbers. Lay an answer scale on a question first, in the Codebook."}
          </Empty>
        )
      }
    />
  );
}
