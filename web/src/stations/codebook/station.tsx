import { BookOpenText, Checks, Download, ListNumbers, MathOperations, UploadSimple } from "@phosphor-icons/react";
import { useQueryClient } from "@tanstack/react-query";
import { Link, useNavigate, useParams } from "@tanstack/react-router";
import { useDeferredValue, useEffect, useRef, useState } from "react";
import { api, got, type Schema } from "../../api/client";
import { studyQuery, useChange, useCodebook, useStudy } from "../../api/queries";
import { ActionButton } from "../../parts/actions";
import { pickFile } from "../../parts/drop";
import { Choice, TextInput } from "../../parts/fields";
import { plural } from "../../parts/figures";
import { save } from "../../parts/files";
import { LongList } from "../../parts/long-list";
import { tell } from "../../parts/notices";
import { arrows, Empty, Panes } from "../../parts/panes";
import { throughTicks } from "../../parts/ticks";
import { KIND } from "../../parts/variables";
import { DeriveForm } from "./derive";
import { Question } from "./question";
import { isBattery, partsOf, Questionnaire } from "./questionnaire";
import { ScaleLibrary } from "./scales/library";
import { Several } from "./several";

type VariableView = Schema["VariableView"];

const NEW = "-new-";
const SCALES = "-scales-";
const SEVERAL = "-several-";

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

function Item({
  view,
  item,
  current,
  ticked,
  tick,
}: {
  view: VariableView;
  /** What stands under the name: the question, or its own part of a battery. */
  item: string | null;
  current: boolean;
  ticked: boolean | null;
  /** through: with all from the one ticked before, as Shift is held. */
  tick: (on: boolean, through: boolean) => void;
}) {
  const study = useStudy();
  const here = useRef<HTMLDivElement>(null);
  useEffect(() => {
    if (current) here.current?.scrollIntoView({ block: "nearest" });
  }, [current]);
  const { variable } = view;
  const inside = (
    <>
      <span className="flex justify-between gap-2 text-sm">
        <span className="truncate font-semibold">{variable.name}</span>
        <span className="shrink-0 text-soft">
          {view.unplaced > 0 && <span className="text-heed">▲ {view.unplaced} </span>}
          {KIND[variable.kind]}
        </span>
      </span>
      {item && <span className="line-clamp-2 font-serif text-sm leading-tight">{item}</span>}
      <Strip view={view} />
    </>
  );
  if (ticked != null)
    return (
      // biome-ignore lint/a11y/useSemanticElements: it stands in a box of a long list
      <div role="listitem">
        <label className="flex cursor-pointer items-start gap-2 rounded px-2 py-1.5 hover:bg-wash">
          <input
            type="checkbox"
            aria-label={variable.name}
            checked={ticked}
            onChange={(e) => tick(e.target.checked, (e.nativeEvent as MouseEvent).shiftKey)}
            onKeyDown={(e) => throughTicks(e, e.currentTarget.closest('[role="list"]'))}
            className="mt-1 size-4 accent-[var(--act)]"
          />
          <span className="min-w-0 grow">{inside}</span>
        </label>
      </div>
    );
  return (
    // biome-ignore lint/a11y/useSemanticElements: it stands in a box of a long list
    <div role="listitem" ref={here}>
      <Link
        to="/study/$id/codebook/{-$item}"
        params={{ id: study.id, item: variable.name }}
        aria-current={current ? "true" : undefined}
        className={`block rounded px-2 py-1.5 hover:bg-wash ${current ? "bg-wash" : ""}`}
      >
        {inside}
      </Link>
    </div>
  );
}

const ORDERS = [
  ["file", "in the order of the questionnaire"],
  ["name", "by name"],
  ["blank", "most blank first"],
  ["unplaced", "most unrecognised first"],
  ["kind", "by kind"],
] as const;

type Order = (typeof ORDERS)[number][0];

function sorted(views: readonly VariableView[], order: Order): VariableView[] {
  const by: Record<Order, (a: VariableView, b: VariableView) => number> = {
    file: () => 0,
    name: (a, b) => a.variable.name.localeCompare(b.variable.name),
    blank: (a, b) => b.blank - a.blank,
    unplaced: (a, b) => b.unplaced - a.unplaced,
    kind: (a, b) => a.variable.kind.localeCompare(b.variable.kind),
  };
  return [...views].sort(by[order]);
}

/** The codebook out as a file, and a file laid on the study. */
function Files() {
  const study = useStudy();
  const client = useQueryClient();
  const { inTurn, allSaved, refuse, move } = useChange();
  const lay = async (file: File) => {
    try {
      const laid = await inTurn((edition) =>
        got(
          api.PUT("/api/v1/studies/{study_id}/codebook", {
            params: { path: { study_id: study.id }, query: { edition, name: file.name } },
            body: file as never,
            bodySerializer: (body) => body as never,
          }),
        ),
      );
      await client.invalidateQueries({ queryKey: studyQuery(study.id).queryKey });
      const lost = laid.unknown.length ? ` Not in this study: ${laid.unknown.slice(0, 5).join(", ")}.` : "";
      if (!laid.says.length) tell(`${file.name} contains no changes.${lost}`);
      else
        tell(
          `${laid.says.slice(0, 6).join("; ")}${laid.says.length > 6 ? ` and ${laid.says.length - 6} more` : ""}.${lost}`,
          {
            label: "Undo",
            go: () => move.mutate("undo"),
          },
        );
    } catch (error) {
      refuse(error as Error);
    }
  };
  const base = `/api/v1/studies/${study.id}`;
  return (
    <>
      <ActionButton
        id="codebook-csv"
        label="Codebook as CSV"
        icon={Download}
        look="quiet"
        run={() => allSaved().then(() => save(`${base}/codebook.csv`, "codebook.csv"))}
      >
        CSV
      </ActionButton>
      <ActionButton
        id="codebook-json"
        label="Codebook as table schema"
        icon={Download}
        look="quiet"
        run={() => allSaved().then(() => save(`${base}/codebook.json`, "codebook.json"))}
      >
        table schema
      </ActionButton>
      <ActionButton
        id="lay-codebook"
        label="Apply a codebook file"
        icon={UploadSimple}
        look="quiet"
        run={() => pickFile(".csv,.json,.txt", lay)}
      >
        Apply a file …
      </ActionButton>
    </>
  );
}

export function CodebookStation() {
  const study = useStudy();
  const { item } = useParams({ strict: false });
  const data = useCodebook();
  const [search, setSearch] = useState("");
  const [order, setOrder] = useState<Order>("file");
  const [ticked, setTicked] = useState<string[]>([]);
  const [last, setLast] = useState<string | null>(null);
  const wanted = useDeferredValue(search).trim().toLowerCase();
  const navigate = useNavigate();
  const open = (to: string | undefined) =>
    navigate({ to: "/study/$id/codebook/{-$item}", params: { id: study.id, item: to } });
  const many = item === SEVERAL;
  const matches = (v: VariableView) => `${v.variable.name} ${v.variable.label ?? ""}`.toLowerCase().includes(wanted);
  const shown = data.variables.filter(matches);
  const current = data.variables.find((v) => v.variable.name === item);
  const views = ticked.flatMap((name) => data.variables.filter((v) => v.variable.name === name));
  const tick = (names: readonly string[], on: boolean) =>
    setTicked([...ticked.filter((t) => !names.includes(t)), ...(on ? names : [])]);
  const entry = (view: VariableView, text: string | null) => (
    <Item
      key={view.variable.name}
      view={view}
      item={text}
      current={view.variable.name === item}
      ticked={many ? ticked.includes(view.variable.name) : null}
      tick={(on, through) => {
        const name = view.variable.name;
        const names = rows.map((r) => r.key);
        const [from, to] = [names.indexOf(last ?? name), names.indexOf(name)].sort((a, b) => a - b) as [number, number];
        const between = names.slice(from, to + 1).filter((n) => byName.has(n));
        tick(through && last ? between : [name], on);
        setLast(name);
      }}
    />
  );
  /** A heading of a battery in the list. */
  const heading = (part: Schema["Battery"]) => (
    // biome-ignore lint/a11y/useSemanticElements: it stands in a box of a long list
    <div role="listitem">
      <p className="mt-1 flex items-start gap-2 border-hair border-l-2 px-3 pt-1 font-serif text-soft text-sm leading-tight">
        {many && (
          <input
            type="checkbox"
            aria-label={`All of: ${part.stem}`}
            checked={part.variables.every((name) => ticked.includes(name))}
            onChange={(e) => tick(part.variables, e.target.checked)}
            className="mt-0.5 size-4 accent-[var(--act)]"
          />
        )}
        <span className="line-clamp-2">{part.stem}</span>
      </p>
    </div>
  );
  const inParts = new Set(partsOf(data).flatMap((p) => (isBattery(p) ? p.variables : [p.variable.name])));
  const one = (view: VariableView, text: string | null) => ({
    key: view.variable.name,
    shown: () => entry(view, text),
  });
  const byName = new Map(shown.map((v) => [v.variable.name, v]));
  const within = (part: Schema["Battery"]) =>
    part.variables.flatMap((name, i) => {
      const view = byName.get(name);
      if (!view) return [];
      const inside = () => <div className="border-hair border-l-2 pl-1">{entry(view, part.items[i] ?? null)}</div>;
      return [{ key: name, shown: inside }];
    });
  const rows =
    order !== "file"
      ? sorted(shown, order).map((view) => one(view, view.variable.label ?? null))
      : [
          ...partsOf(data).flatMap((part) => {
            if (!isBattery(part)) return matches(part) ? [one(part, part.variable.label ?? null)] : [];
            const members = within(part);
            return members.length
              ? [{ key: `battery ${part.variables[0]}`, shown: () => heading(part) }, ...members]
              : [];
          }),
          ...shown.filter((v) => !inParts.has(v.variable.name)).map((v) => one(v, v.variable.label ?? null)),
        ];
  return (
    <Panes
      label="Variables"
      left={
        <>
          <div className="sticky -top-3 z-10 bg-paper pt-1 pb-2">
            <nav aria-label="Codebook" className="grid grid-cols-2">
              <ActionButton
                id="open-questionnaire"
                label="Questionnaire"
                icon={BookOpenText}
                pressed={!item}
                run={() => open(undefined)}
              />
              <ActionButton
                id="open-scales"
                label="Answer scales"
                icon={ListNumbers}
                pressed={item === SCALES}
                run={() => open(SCALES)}
              />
              <ActionButton
                id="new-variable"
                label="New variable"
                icon={MathOperations}
                pressed={item === NEW}
                run={() => open(NEW)}
              />
              <ActionButton
                id="open-several"
                label="Several at once"
                icon={Checks}
                pressed={many}
                run={() => open(many ? undefined : SEVERAL)}
              />
            </nav>
            <TextInput
              type="search"
              aria-label="Search names and questions"
              placeholder={`Search ${plural(data.variables.length, "variable")}`}
              value={search}
              onChange={(e) => setSearch(e.target.value)}
            />
            <Choice
              aria-label="Order of the list"
              className="mt-1"
              value={order}
              onChange={(e) => setOrder(e.target.value as Order)}
              options={ORDERS}
            />
            <div className="flex">
              <Files />
            </div>
          </div>
          {/* biome-ignore lint/a11y/useSemanticElements: rows of a long list stand in boxes of their own */}
          <div role="list" onKeyDown={arrows}>
            <LongList
              count={rows.length}
              height={60}
              keyOf={(at) => rows[at]?.key ?? String(at)}
              row={(at) => rows[at]?.shown()}
              shown={item ? rows.findIndex((r) => r.key === item) : -1}
            />
          </div>
          {!shown.length && <p className="text-soft">No variable matches “{search}”.</p>}
        </>
      }
      right={
        item === NEW ? (
          <DeriveForm scales={Object.keys(data.scales)} />
        ) : item === SCALES ? (
          <ScaleLibrary codebook={data} />
        ) : many ? (
          <Several views={views} codebook={data} />
        ) : current ? (
          <Question key={current.variable.name} view={current} codebook={data} />
        ) : item ? (
          <Empty title={`There is no variable ${item}`}>Choose a question on the left.</Empty>
        ) : (
          <Questionnaire codebook={data} />
        )
      }
    />
  );
}
