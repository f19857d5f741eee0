import { Prohibit } from "@phosphor-icons/react";
import type { DependenceLine } from "../../../api/depends";
import { useChange } from "../../../api/queries";
import { decimals, plural } from "../../../parts/figures";
import { Columns, Dot } from "./standing";
import { turnsLetter } from "./turned";
import { insteadOf, type Moved, type Published, placing, printer, SMALL, signed } from "./words";

const COLUMNS = [
  ["Combine", "drawn", "w-6"],
  ["Without", "words"],
  ["On one axis", "drawn", "w-56"],
  ["Figure", "number"],
  ["Change", "number"],
  ["in se", "number"],
  ["Action", "drawn"],
] as const;

/** Other entries of the ledger that go with a decision. */
export function Also({ line }: { line: DependenceLine }) {
  if (!line.entries.length) return null;
  return <span className="text-soft text-xs"> with {plural(line.entries.length, "entry", "entries")} more</span>;
}

/** A figure as published, then without each decision, on one axis; each can be chosen to be combined. */
export function FigureDecisions({
  moved,
  cell,
  chosen,
  choose,
}: {
  moved: readonly Moved[];
  cell: Published;
  chosen: readonly string[];
  choose: (id: string, on: boolean) => void;
}) {
  const { change } = useChange();
  const figure = printer(cell);
  const at = placing([cell.est, cell.low, cell.high, ...moved.map((m) => m.without)]);
  const off = (place: number) =>
    change.mutate((document) => ({
      ledger: (document.ledger ?? []).map((step, k) => (k === place ? { ...step, off: true } : step)),
    }));
  return (
    <table className="w-full max-w-5xl text-sm">
      <caption className="sr-only">The figure as published, then without each decision</caption>
      <Columns of={COLUMNS} />
      <tbody>
        <tr className="font-semibold">
          <td />
          <th scope="row" className="py-0.5 text-left">
            Nothing: as published
          </th>
          <td className="relative h-6">
            {cell.low != null && cell.high != null && (
              <span
                aria-hidden
                className="absolute top-1/2 h-px bg-ink"
                style={{ left: `${at(cell.low)}%`, right: `${100 - at(cell.high)}%` }}
              />
            )}
            <Dot place={at(cell.est)} look="published" />
          </td>
          <td className="px-2 text-right tabular-nums">{figure(cell.est)}</td>
          <td />
          <td />
          <td />
        </tr>
        {moved.map(({ line, without, change: by, inSe }) => (
          <tr key={line.id} className="border-hair border-t">
            <td>
              {!line.refused && (
                <input
                  type="checkbox"
                  className="block size-4 accent-[var(--act)]"
                  aria-label={`Combine: ${insteadOf(line)}`}
                  checked={chosen.includes(line.id)}
                  onChange={(e) => choose(line.id, e.target.checked)}
                />
              )}
            </td>
            <th scope="row" className="max-w-96 py-0.5 text-left font-normal">
              {line.says}
              {line.instead && <span className="block text-soft text-xs">instead: {line.instead}</span>}
              <Also line={line} />
              {turnsLetter(line.tables[0]?.turned ?? [], cell) && (
                <span className="block text-heed text-xs">a letter beside it turns</span>
              )}
            </th>
            {line.refused ? (
              <td colSpan={4} className="px-2 text-soft text-xs">
                cannot be calculated: {line.refused.what}
              </td>
            ) : (
              <>
                <td className="relative h-6">
                  {without != null && (
                    <Dot place={at(without)} look={Math.abs(inSe ?? 0) > SMALL ? "large" : "small"} />
                  )}
                </td>
                <td className="px-2 text-right tabular-nums">{without == null ? "gone" : figure(without)}</td>
                <td className="px-2 text-right tabular-nums">{by == null ? "" : signed(by, figure)}</td>
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
  );
}
