import { MathOperations } from "@phosphor-icons/react";
import { Link, useNavigate, useParams } from "@tanstack/react-router";
import { useDeferredValue, useEffect, useRef, useState } from "react";
import type { Schema } from "../../api/client";
import { useCodebook, useStudy } from "../../api/queries";
import { ActionButton } from "../../parts/actions";
import { TextInput } from "../../parts/fields";
import { plural } from "../../parts/figures";
import { arrows, Empty, Panes } from "../../parts/panes";
import { DeriveForm } from "./derive";
import { Question } from "./question";

type VariableView = Schema["VariableView"];

const NEW = "-new-";

/** A variable's answers as a strip of shares, at a glance. */
function Strip({ view }: { view: VariableView }) {
  const whole = view.answered + view.blank + view.missing + view.unplaced;
  const parts = view.answers.filter((a) => a.sort === "answer" && a.cases > 0).slice(0, 8);
  if (view.number) {
    const top = Math.max(...view.number.bars, 1);
    return (
      <span className="flex h-4 items-end gap-px" aria-hidden>
        {view.number.bars.map((n, i) => (
          // biome-ignore lint/suspicious/noArrayIndexKey: bars have no other name than their place
          <span key={i} className="grow bg-act opacity-70" style={{ height: `${(100 * n) / top}%` }} />
        ))}
      </span>
    );
  }
  if (view.variable.kind !== "coded") return null;
  return (
    <span className="flex h-1.5 gap-px" aria-hidden>
      {parts.map((a, i) => (
        <span
          key={a.code}
          className="bg-act"
          style={{ width: `${(100 * a.cases) / whole}%`, opacity: 0.35 + (0.65 * i) / parts.length }}
        />
      ))}
    </span>
  );
}

function Item({ view, current }: { view: VariableView; current: boolean }) {
  const study = useStudy();
  const here = useRef<HTMLLIElement>(null);
  useEffect(() => {
    if (current) here.current?.scrollIntoView({ block: "nearest" });
  }, [current]);
  const { variable } = view;
  return (
    <li ref={here}>
      <Link
        to="/study/$id/codebook/{-$item}"
        params={{ id: study.id, item: variable.name }}
        aria-current={current ? "true" : undefined}
        className={`block rounded px-2 py-1.5 hover:bg-wash ${current ? "bg-wash" : ""}`}
      >
        <span className="flex justify-between gap-2 text-sm">
          <span className="truncate font-semibold">{variable.name}</span>
          <span className="shrink-0 text-soft">
            {view.unplaced > 0 && <span className="text-heed">▲ {view.unplaced} </span>}
            {variable.kind}
          </span>
        </span>
        {variable.label && <span className="line-clamp-2 font-serif text-sm leading-tight">{variable.label}</span>}
        <Strip view={view} />
      </Link>
    </li>
  );
}

export function CodebookStation() {
  const study = useStudy();
  const { item } = useParams({ strict: false });
  const data = useCodebook();
  const [search, setSearch] = useState("");
  const wanted = useDeferredValue(search).trim().toLowerCase();
  const navigate = useNavigate();
  const shown = data.variables.filter((v) =>
    `${v.variable.name} ${v.variable.label ?? ""}`.toLowerCase().includes(wanted),
  );
  const current = data.variables.find((v) => v.variable.name === item);
  return (
    <Panes
      label="Variables"
      left={
        <>
          <div className="sticky -top-3 z-10 bg-paper pt-1 pb-2">
            <TextInput
              type="search"
              aria-label="Search names and questions"
              placeholder={`Search ${plural(data.variables.length, "variable")}`}
              value={search}
              onChange={(e) => setSearch(e.target.value)}
            />
            <ActionButton
              id="new-variable"
              label="New variable by a formula"
              icon={MathOperations}
              className="mt-1"
              run={() => navigate({ to: "/study/$id/codebook/{-$item}", params: { id: study.id, item: NEW } })}
            />
          </div>
          <ul onKeyDown={arrows}>
            {shown.map((view) => (
              <Item key={view.variable.name} view={view} current={view.variable.name === item} />
            ))}
          </ul>
          {!shown.length && <p className="text-soft">No name and no question holds “{search}”.</p>}
        </>
      }
      right={
        item === NEW ? (
          <DeriveForm scales={Object.keys(data.scales)} />
        ) : current ? (
          <Question key={current.variable.name} view={current} codebook={data} />
        ) : (
          <Empty title={item ? `There is no variable ${item}` : "The questionnaire, as it was answered"}>
            Choose a question on the left. Make an answer scale from its answers and lay it on every question that was
            answered with it.
          </Empty>
        )
      }
    />
  );
}
