import { Prohibit } from "@phosphor-icons/react";
import { Link } from "@tanstack/react-router";
import type { Schema } from "../../api/client";
import { type DependenceLine, EVERY_TABLE, useDepends } from "../../api/depends";
import { useChange, useSaved } from "../../api/queries";
import { decimals, plural } from "../../parts/figures";
import { Faults } from "../../parts/notices";
import { Bar, Heading } from "../../parts/panes";

type Cell = Schema["Cell"];
const SHARES = ["col_pct", "row_pct", "total_pct", "response_pct"];
/** Standard errors below which a change is called small. */
const SMALL = 0.3;

const same = (a: unknown, b: unknown) => JSON.stringify(a) === JSON.stringify(b);
const keyOf = (stub: Schema["StubKey"], banner: readonly Schema["BannerKey"][], stat: string) => [
  stub.variable,
  stub.code ?? null,
  stub.net ?? null,
  banner.map((b) => [b.variable, b.code ?? null, b.net ?? null]),
  stat,
];

interface Moved {
  line: DependenceLine;
  without: number | null;
  change: number | null;
  inSe: number | null;
}

const size = (m: Moved) => (m.change == null ? (m.line.refused ? -2 : -1) : Math.abs(m.change));

/** What a figure is without each decision, the largest change first. */
export function movedOf(lines: readonly DependenceLine[], cell: Cell): Moved[] {
  const key = keyOf(cell.stub, cell.banner, cell.stat);
  return lines
    .map((line) => {
      const mine = line.tables[0]?.cells.find((c) => same(keyOf(c.stub, c.banner, c.stat), key));
      return { line, without: mine?.without ?? null, change: mine?.change ?? null, inSe: mine?.in_se ?? null };
    })
    .sort((a, b) => size(b) - size(a));
}

/** How far decisions move a figure, in words that its numbers bear. */
export function saysMoved(moved: readonly Moved[], cell: Cell): string {
  const share = SHARES.includes(cell.stat);
  const figure = (x: number) => (share ? decimals(100 * x, 1) : decimals(x, 2));
  const known = moved.filter((m) => m.change != null);
  const far = known.filter((m) => Math.abs(m.inSe ?? 0) > SMALL);
  const first = known[0];
  if (!first) return "Nothing remains of this figure without any of the decisions.";
  const none = `Of ${plural(known.length, "decision")} none moves it by more than ${SMALL} standard errors`;
  const some = `Of ${plural(known.length, "decision")} ${far.length === 1 ? "one moves" : `${far.length} move`} it by more than ${SMALL} standard errors`;
  const by = `${figure(Math.abs(first.change ?? 0))}${share ? " points" : ""}`;
  const move = `without “${first.line.says}” it would be ${figure(first.without ?? 0)}${share ? " %" : ""} in place of ${figure(cell.est)}${share ? " %" : ""}`;
  return `${far.length ? some : none}; ${move}, a change of ${by}.`;
}

/** Where values stand on one axis for the figure, its interval, and what it would be without each decision. */
function placing(moved: readonly Moved[], cell: Cell) {
  const ends = [cell.est, cell.low, cell.high, ...moved.map((m) => m.without)].filter((x): x is number => x != null);
  const [low, high] = [Math.min(...ends), Math.max(...ends)];
  return (x: number) => `${high > low ? 4 + (92 * (x - low)) / (high - low) : 50}%`;
}

function Dot({ place, heed, whole }: { place: string; heed?: boolean; whole?: boolean }) {
  return (
    <span
      aria-hidden
      className={`absolute top-1/2 size-2 -translate-x-1/2 -translate-y-1/2 ${whole ? "rounded-full bg-ink" : heed ? "rotate-45 bg-heed" : "rounded-full bg-act"}`}
      style={{ left: place }}
    />
  );
}

/** How far it has got, or what stopped it. */
function Standing({ found: { lines, done, refusal } }: { found: ReturnType<typeof useDepends> }) {
  const of = lines[0]?.of ?? 0;
  if (refusal) return <Faults faults={refusal.faults} />;
  if (done) return null;
  return (
    <p role="status" className="text-soft text-sm">
      {of ? `${lines.length} of ${of} decisions taken away …` : "Working it out …"}
    </p>
  );
}

/** What one figure depends on. */
export function FigureDepends({ table, cell }: { table: string; cell: Cell }) {
  const study = useSaved();
  const { change } = useChange();
  const found = useDepends(study.id, study.edition, table);
  const { lines, done, refusal } = found;
  const moved = movedOf(lines, cell);
  const share = SHARES.includes(cell.stat);
  const figure = (x: number) => (share ? decimals(100 * x, 1) : decimals(x, 2));
  const at = placing(moved, cell);
  const off = (place: number) =>
    change.mutate((document) => ({
      ledger: (document.ledger ?? []).map((step, k) => (k === place ? { ...step, off: true } : step)),
    }));
  return (
    <section aria-label="What it depends on" className="mt-3 w-full">
      <h3 className="font-semibold font-serif">What it depends on</h3>
      <Standing found={found} />
      {done && !refusal && <p className="my-1 max-w-prose font-serif">{saysMoved(moved, cell)}</p>}
      <table className="w-full max-w-4xl text-sm">
        <caption className="sr-only">The figure as published, then without each decision</caption>
        <thead>
          <tr className="border-rule border-b">
            <th scope="col" className="text-left font-semibold">
              Without
            </th>
            <th scope="col" className="w-56">
              <span className="sr-only">On one axis</span>
            </th>
            <th scope="col" className="px-2 text-right font-semibold">
              Figure
            </th>
            <th scope="col" className="px-2 text-right font-semibold">
              Change
            </th>
            <th scope="col" className="px-2 text-right font-semibold">
              in se
            </th>
            <th scope="col">
              <span className="sr-only">Action</span>
            </th>
          </tr>
        </thead>
        <tbody>
          <tr className="font-semibold">
            <th scope="row" className="text-left">
              Nothing: as published
            </th>
            <td className="relative h-6">
              {cell.low != null && cell.high != null && (
                <span
                  aria-hidden
                  className="absolute top-1/2 h-px bg-ink"
                  style={{ left: at(cell.low), right: `calc(100% - ${at(cell.high)})` }}
                />
              )}
              <Dot place={at(cell.est)} whole />
            </td>
            <td className="px-2 text-right tabular-nums">{figure(cell.est)}</td>
            <td />
            <td />
            <td />
          </tr>
          {moved.map(({ line, without, change: by, inSe }) => (
            <tr key={line.id} className="border-hair border-t">
              <th scope="row" className="max-w-80 py-0.5 text-left font-normal">
                {line.says}
                {line.entries.length > 0 && (
                  <span className="text-soft text-xs">
                    {" "}
                    with {plural(line.entries.length, "entry", "entries")} more
                  </span>
                )}
              </th>
              <td className="relative h-6">
                {without != null && <Dot place={at(without)} heed={Math.abs(inSe ?? 0) > SMALL} />}
              </td>
              {line.refused ? (
                <td
                  colSpan={3}
                  className="max-w-64 truncate px-2 text-soft text-xs"
                  title={`${line.refused.what} ${line.refused.mend}`}
                >
                  nothing remains: {line.refused.what}
                </td>
              ) : (
                <>
                  <td className="px-2 text-right tabular-nums">{without == null ? "gone" : figure(without)}</td>
                  <td className="px-2 text-right tabular-nums">
                    {by == null ? "" : `${by > 0 ? "+" : ""}${figure(by)}`}
                  </td>
                  <td className="px-2 text-right tabular-nums">{inSe == null ? "" : decimals(inSe, 2)}</td>
                </>
              )}
              <td>
                {line.kind === "ledger" && !line.refused && (
                  <button
                    type="button"
                    data-passing
                    aria-label={`Switch off: ${line.says}`}
                    title="Switch it off in the ledger"
                    onClick={() => off(Number(line.id.slice("ledger[".length, -1)))}
                    className="rounded p-0.5 text-soft hover:bg-wash hover:text-ink"
                  >
                    <Prohibit size={15} aria-hidden />
                  </button>
                )}
              </td>
            </tr>
          ))}
        </tbody>
      </table>
    </section>
  );
}

/** What the whole plan depends on: decisions by the largest change that they make anywhere. */
export function PlanDepends() {
  const study = useSaved();
  const found = useDepends(study.id, study.edition, EVERY_TABLE);
  const { lines, done } = found;
  const tables = study.document.tables ?? [];
  const most = (line: DependenceLine) => Math.max(0, ...Object.values(line.largest));
  const rank = (line: DependenceLine) => (line.refused ? -1 : most(line));
  const sorted = [...lines].sort((a, b) => rank(b) - rank(a) || b.gone - a.gone);
  const top = Math.max(...lines.filter((l) => l.kind !== "weight").map(most), 1);
  const hangs = tables
    .map((t) => {
      const by = lines.map((l) => [l.largest[t.id] ?? 0, l.says] as const).sort((a, b) => b[0] - a[0])[0];
      return { table: t, by };
    })
    .sort((a, b) => (b.by?.[0] ?? 0) - (a.by?.[0] ?? 0));
  return (
    <article className="max-w-4xl">
      <Heading over="Every table worked out again with one decision taken away, each in turn">
        What the figures depend on
      </Heading>
      <Standing found={found} />
      <table className="w-full text-sm">
        <caption className="pb-1 text-left text-soft text-xs">
          The largest change of any figure, in its own standard errors
        </caption>
        <thead>
          <tr className="border-rule border-y">
            <th scope="col" className="py-1 text-left font-semibold">
              Without
            </th>
            <th scope="col" className="w-40">
              <span className="sr-only">As a bar</span>
            </th>
            <th scope="col" className="px-2 text-right font-semibold">
              Largest
            </th>
          </tr>
        </thead>
        <tbody>
          {sorted.map((line) => (
            <tr key={line.id} className="border-hair border-b">
              <th scope="row" className="py-1 text-left font-normal">
                {line.says}
                {line.entries.length > 0 && (
                  <span className="text-soft text-xs">
                    {" "}
                    with {plural(line.entries.length, "entry", "entries")} more
                  </span>
                )}
                {line.refused && <span className="block text-soft text-xs">nothing remains: {line.refused.what}</span>}
              </th>
              <td>{!line.refused && <Bar share={most(line) / top} heed={most(line) > SMALL} />}</td>
              <td className="whitespace-nowrap px-2 text-right tabular-nums">
                {line.refused ? "" : line.gone > 0 ? `${plural(line.gone, "figure")} gone` : decimals(most(line), 2)}
              </td>
            </tr>
          ))}
        </tbody>
      </table>
      {done && (
        <>
          <h2 className="mt-5 mb-1.5 border-rule border-b pb-0.5 font-semibold font-serif text-lg">
            Tables by how much they hang on one decision
          </h2>
          <ul className="text-sm">
            {hangs.map(({ table, by }) => (
              <li key={table.id} className="py-0.5">
                <Link to={`/study/${study.id}/tables/${table.id}` as "/"} className="text-act hover:underline">
                  {table.title ?? table.id}
                </Link>{" "}
                <span className="text-soft">
                  {by && by[0] > 0 ? `${decimals(by[0], 2)} standard errors without “${by[1]}”` : "on none"}
                </span>
              </li>
            ))}
          </ul>
        </>
      )}
    </article>
  );
}
