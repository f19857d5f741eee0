import { CopySimple, MagnifyingGlass, Plus, SlidersHorizontal, TreeStructure } from "@phosphor-icons/react";
import { Link, useNavigate } from "@tanstack/react-router";
import { useDeferredValue, useState } from "react";
import type { Schema } from "../../api/client";
import { useChange, useStudy } from "../../api/queries";
import { useVocabulary } from "../../api/vocabulary";
import { ActionButton } from "../../parts/actions";
import { TextInput } from "../../parts/fields";
import { arrows } from "../../parts/panes";
import { recipesOf, withUsual } from "../../parts/recipes";
import { Sortable, SortableRow } from "../../parts/sortable";
import { freeId, gist, grouped, placed, type Request, shifted, TABLED } from "../../parts/table-plan";

import { AnalysesOfPlan } from "./analyses/plan-part";

export const ALL_TABLES = "_all";
export const DEPENDS = "_depends";
export const MANY_TABLES = "_many";

/** The plan of tables: found, grouped, put in order, added to. */
export function PlanList({ codebook, current }: { codebook: Schema["CodebookView"]; current: string | undefined }) {
  const study = useStudy();
  const recipes = recipesOf(study.document, useVocabulary().recipes);
  const navigate = useNavigate();
  const { change } = useChange();
  const [search, setSearch] = useState("");
  const words = useDeferredValue(search).toLowerCase().split(/\s+/).filter(Boolean);
  const tables = study.document.tables ?? [];
  const tabled = codebook.variables.filter((v) => TABLED.includes(v.variable.kind));
  const go = (item: string) => navigate({ to: "/study/$id/tables/{-$item}", params: { id: study.id, item } });
  const titles = new Map(codebook.variables.map((v) => [v.variable.name, v.variable.label ?? ""]));
  const text = (t: Request) =>
    `${t.id} ${t.title ?? ""} ${t.group ?? ""} ${gist(t)} ${(t.stub ?? []).map((s) => `${s} ${titles.get(s) ?? ""}`).join(" ")}`.toLowerCase();
  const shown = tables.filter((t) => words.every((w) => text(t).includes(w)));
  const add = () => {
    const request = withUsual(
      study.document,
      {
        id: freeId(tables),
        title: "New table",
        stub: [],
        banner: study.document.usual_banner ?? [],
      },
      recipes,
    );
    change.mutate((document) => ({ tables: [...(document.tables ?? []), request] }));
    go(request.id);
  };
  const order = grouped(shown).flatMap((g) => g.tables.map((t) => t.id));
  const put = (id: string, over: string) =>
    change.mutate((document) => ({ tables: placed(document.tables ?? [], id, over) }));
  const shift = (id: string, by: -1 | 1) =>
    change.mutate((document) => ({ tables: shifted(document.tables ?? [], id, by) }));
  const entry = (t: Request) => (
    <SortableRow
      key={t.id}
      id={t.id}
      label={t.title ?? t.id}
      by={(places) => shift(t.id, places < 0 ? -1 : 1)}
      className="group flex items-start [&>:first-child]:mt-1.5 [&>:first-child]:opacity-0 [&>:first-child]:focus-visible:opacity-100 hover:[&>:first-child]:opacity-100"
    >
      <Link
        to="/study/$id/tables/{-$item}"
        params={{ id: study.id, item: t.id }}
        aria-current={t.id === current ? "true" : undefined}
        className={`block min-w-0 grow rounded px-2 py-1 hover:bg-wash ${t.id === current ? "bg-wash" : ""}`}
        onKeyDown={(e) => {
          const by = e.key === "ArrowUp" ? -1 : e.key === "ArrowDown" ? 1 : 0;
          if (e.altKey && by) {
            e.preventDefault();
            e.stopPropagation();
            shift(t.id, by);
          }
        }}
      >
        <span className="line-clamp-2 font-serif leading-snug">{t.title ?? t.id}</span>
        <span className="block truncate text-soft text-sm">{gist(t)}</span>
      </Link>
    </SortableRow>
  );
  return (
    <>
      <div className="flex flex-wrap gap-x-1">
        <ActionButton
          id="new-table"
          label="New table"
          keys="n"
          icon={Plus}
          disabled={change.isPending || !tabled.length}
          run={add}
        />
        <ActionButton
          id="many-tables"
          label="Several tables at once"
          icon={CopySimple}
          look="quiet"
          pressed={current === MANY_TABLES}
          disabled={!tabled.length}
          run={() => go(MANY_TABLES)}
        >
          Several at once
        </ActionButton>
        <ActionButton
          id="all-tables"
          label="Settings for all tables"
          icon={SlidersHorizontal}
          look="quiet"
          pressed={current === ALL_TABLES}
          run={() => go(ALL_TABLES)}
        >
          For all tables
        </ActionButton>
        <ActionButton
          id="plan-depends"
          label="Sensitivity of the figures"
          icon={TreeStructure}
          look="quiet"
          pressed={current === DEPENDS}
          disabled={!(study.document.tables ?? []).length}
          run={() => go(DEPENDS)}
        />
      </div>
      {study.document.where && (
        <p className="mt-1 border-act border-l-4 pl-2 text-sm">
          All tables: cases where <code>{study.document.where}</code>
        </p>
      )}
      {(tables.length > 4 || search) && (
        <div className="relative mt-2">
          <MagnifyingGlass size={16} aria-hidden className="absolute top-2 left-2 text-soft" />
          <TextInput
            type="search"
            aria-label="Find a table"
            placeholder="Title, question, variable"
            className="!pl-7"
            value={search}
            onChange={(e) => setSearch(e.target.value)}
          />
        </div>
      )}
      <nav aria-label="Tables of the plan" onKeyDown={arrows}>
        <Sortable ids={order} move={(from, to) => put(order[from] as string, order[to] as string)}>
          {grouped(shown).map(({ group, tables: within }) => (
            <section key={group ?? ""} aria-label={group ?? "Tables without a group"}>
              {group && (
                <h2 className="mt-3 border-rule border-b px-2 font-semibold font-serif leading-snug">{group}</h2>
              )}
              <ul className="mt-1">{within.map(entry)}</ul>
            </section>
          ))}
        </Sortable>
        {!shown.length && tables.length > 0 && <p className="px-2 py-3 text-soft">No table goes by that.</p>}
      </nav>
      <nav aria-label="Other analyses of the plan" onKeyDown={arrows}>
        <AnalysesOfPlan current={current} />
      </nav>
    </>
  );
}
