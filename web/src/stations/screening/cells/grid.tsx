import { useEffect, useRef } from "react";
import { Refusal } from "../../../api/client";
import { count } from "../../../parts/figures";
import { useShowing } from "../../../parts/labels";
import { Faults } from "../../../parts/notices";
import { FIXED, HEAD, HIGH, inSight, scrolledTo, useView, WIDE } from "./viewport";
import { type Asked, BLOCK, type Cell, useExtent, useWindow } from "./window";

/** A cell that is in hand. */
export interface InHand {
  place: number;
  variable: string;
  row: number;
  id: string | null;
  alone: boolean;
  cell: Cell;
}

const looks = ["", "", "text-soft italic", "text-heed font-semibold"];

/** What a cell shows: its label or its entry; a word where it is blank, a mark where it was not placed. */
function Shown({ cell, codes }: { cell: Cell | undefined; codes: boolean }) {
  if (!cell) return <span className="text-soft">…</span>;
  if (cell.state === 1) return <span className="text-rule">·</span>;
  return (
    <span className={looks[cell.state]}>
      {cell.state === 3 && "▲ "}
      {codes || cell.label == null ? cell.entry : cell.label}
    </span>
  );
}

/** All cases by all variables; only what is in sight is fetched. Sorting and filtering are done over all rows by the server. */
export function Grid({
  asked,
  first = [],
  hand,
  take,
  sort,
  className = "",
}: {
  asked: Asked;
  /** Columns that come before the others. */
  first?: readonly string[];
  hand: InHand | null;
  take: (hand: InHand | null) => void;
  sort: (by: string) => void;
  className?: string;
}) {
  const { extent, error } = useExtent(asked);
  const { codes } = useShowing();
  const box = useRef<HTMLDivElement>(null);
  const identifier = extent?.identifier ?? null;
  const others = (extent?.every ?? []).filter((name) => name !== identifier);
  const names = [...first.filter((n) => others.includes(n)), ...others.filter((n) => !first.includes(n))];
  const total = extent?.cases ?? 0;
  const [view, look] = useView(box, extent != null);
  const sight = inSight(view, total, names.length);
  // Whole blocks of columns are asked for, so that a small scroll asks for nothing new.
  const from = Math.floor(sight.from / BLOCK) * BLOCK;
  const to = Math.ceil((sight.to + 1) / BLOCK) * BLOCK;
  const { found, error: lost } = useWindow(
    asked,
    [sight.first, Math.max(sight.last, sight.first)],
    names.slice(from, to),
  );
  const places = Array.from({ length: Math.max(sight.last - sight.first + 1, 0) }, (_, i) => sight.first + i);
  const seen = Array.from({ length: Math.max(sight.to - sight.from + 1, 0) }, (_, i) => sight.from + i);
  const column = hand ? names.indexOf(hand.variable) : -1;

  const go = (place: number, at: number) => {
    const name = names[at];
    if (name == null || place < 0 || place >= total) return;
    const b = box.current;
    if (b) {
      const now = { top: b.scrollTop, left: b.scrollLeft, height: b.clientHeight, width: b.clientWidth };
      b.scrollTo(scrolledTo(now, total, place, at));
    }
    const there = found.get(place);
    const cell = there?.cells.get(name);
    take({
      place,
      variable: name,
      row: there?.row.row ?? 0,
      id: there?.row.id ?? null,
      alone: there?.row.alone ?? true,
      cell: cell ?? { entry: "", label: null, state: -1 },
    });
  };

  // The panel of the cell in hand takes some of the room: the cell stays in sight.
  const placed = useRef({ place: -1, column: -1, total: 0 });
  placed.current = { place: hand?.place ?? -1, column, total };
  useEffect(() => {
    const b = box.current;
    const { place, column, total } = placed.current;
    if (b && place >= 0 && view.height > 0) {
      const now = { top: b.scrollTop, left: b.scrollLeft, height: view.height, width: b.clientWidth };
      b.scrollTo(scrolledTo(now, total, place, Math.max(column, 0)));
    }
  }, [view.height]);

  // A column that the cases are sorted by comes into sight, with its sign.
  const ordered = asked.sort ? names.indexOf(asked.sort) : -1;
  useEffect(() => {
    const b = box.current;
    if (!b || ordered < 0) return;
    const [start, room] = [ordered * WIDE, b.clientWidth - FIXED];
    if (start < b.scrollLeft || start + WIDE > b.scrollLeft + room) b.scrollTo({ left: Math.max(0, start - WIDE) });
  }, [ordered]);

  // What the cell in hand holds arrives after it has been scrolled to, and changes when it is edited.
  const there = hand ? found.get(hand.place) : undefined;
  const now = hand ? there?.cells.get(hand.variable) : undefined;
  useEffect(() => {
    if (!hand || !there || !now) return;
    const same = now.entry === hand.cell.entry && now.state === hand.cell.state && there.row.row === hand.row;
    if (!same) take({ ...hand, row: there.row.row, id: there.row.id ?? null, alone: there.row.alone, cell: now });
  }, [hand, there, now, take]);

  const keys = (event: React.KeyboardEvent) => {
    const page = Math.max(1, Math.floor((box.current?.clientHeight ?? 400) / HIGH) - 2);
    const place = hand?.place ?? 0;
    const at = Math.max(column, 0);
    const moves: Record<string, [number, number]> = {
      ArrowDown: [place + (hand ? 1 : 0), at],
      ArrowUp: [place - 1, at],
      ArrowRight: [place, at + 1],
      ArrowLeft: [place, at - 1],
      PageDown: [Math.min(total - 1, place + page), at],
      PageUp: [Math.max(0, place - page), at],
      Home: event.ctrlKey ? [0, 0] : [place, 0],
      End: event.ctrlKey ? [total - 1, names.length - 1] : [place, names.length - 1],
    };
    const move = moves[event.key];
    if (move) {
      event.preventDefault();
      go(...move);
    } else if (event.key === "Enter" && hand) {
      event.preventDefault();
      document.querySelector<HTMLElement>("[data-cell-value]")?.focus();
    }
  };

  const wrong = error ?? lost;
  if (wrong)
    return <Faults faults={wrong instanceof Refusal ? wrong.faults : [{ what: wrong.message, where: "", mend: "" }]} />;
  if (!extent) return <p className="text-soft">Loading the cells …</p>;
  return (
    <div className={`flex min-h-0 flex-col ${className}`}>
      <p className="figures pb-1 text-soft text-sm" role="status">
        {extent.cases === extent.of
          ? `${count(extent.of)} cases`
          : `${count(extent.cases)} of ${count(extent.of)} cases`}
        {asked.sort && `, by ${asked.sort}${asked.descending ? " downwards" : ""}`}
      </p>
      {/* biome-ignore lint/a11y/useSemanticElements: a grid of a million rows is no table element */}
      <div
        ref={box}
        role="grid"
        aria-label="Cells of all cases"
        aria-rowcount={total + 1}
        aria-colcount={names.length + 1}
        aria-activedescendant={hand && now ? `cell-${hand.place}-${column}` : undefined}
        tabIndex={0}
        onKeyDown={keys}
        onScroll={look}
        data-testid="grid"
        className="relative min-h-48 grow overflow-auto border-rule border-y bg-leaf text-sm"
      >
        <div role="presentation" style={{ height: total * sight.step + HEAD, width: FIXED + names.length * WIDE }}>
          {/* Rows stand in a pane that stays in sight: a place millions of pixels down is not exact to the pixel. */}
          <div
            role="presentation"
            className="sticky top-0 left-0 overflow-hidden"
            style={{ height: view.height, width: view.width }}
          >
            {/* biome-ignore lint/a11y/useSemanticElements lint/a11y/useFocusableInteractive: as above; the grid holds the focus */}
            <div
              role="row"
              aria-rowindex={1}
              className="absolute inset-x-0 top-0 z-20 border-rule border-b bg-leaf font-serif"
              style={{ height: HEAD }}
            >
              {/* biome-ignore lint/a11y/useSemanticElements lint/a11y/useFocusableInteractive: as above */}
              <div
                role="columnheader"
                aria-colindex={1}
                className="absolute left-0 z-10 h-full truncate bg-leaf px-2 pt-1 font-semibold"
                style={{ width: FIXED }}
              >
                {identifier ?? "record"}
              </div>
              {seen.map((c) => {
                const name = names[c] ?? "";
                const sorted = asked.sort === name;
                return (
                  // biome-ignore lint/a11y/useSemanticElements lint/a11y/useFocusableInteractive: as above
                  <div
                    key={name}
                    role="columnheader"
                    aria-colindex={c + 2}
                    aria-sort={sorted ? (asked.descending ? "descending" : "ascending") : "none"}
                    className="absolute top-0 h-full px-2 pt-1"
                    style={{ left: FIXED + c * WIDE - view.left, width: WIDE }}
                  >
                    <button
                      type="button"
                      data-passing
                      tabIndex={-1}
                      title={`${name}: sort by it`}
                      onClick={() => sort(name)}
                      className="block w-full truncate text-left font-semibold hover:text-act"
                    >
                      {sorted && (asked.descending ? "↓ " : "↑ ")}
                      {name}
                    </button>
                  </div>
                );
              })}
            </div>
            {places.map((place) => {
              const at = found.get(place);
              const held = hand?.place === place;
              return (
                // biome-ignore lint/a11y/useSemanticElements lint/a11y/useFocusableInteractive: as above
                <div
                  key={place}
                  role="row"
                  aria-rowindex={place + 2}
                  className={`absolute inset-x-0 border-hair border-b ${held ? "bg-wash" : ""}`}
                  style={{ top: HEAD + Math.round((place - sight.position) * HIGH), height: HIGH }}
                >
                  {/* biome-ignore lint/a11y/useSemanticElements lint/a11y/useFocusableInteractive: as above */}
                  <div
                    role="rowheader"
                    aria-colindex={1}
                    className={`figures absolute left-0 z-10 h-full truncate px-2 pt-0.5 text-soft ${held ? "bg-wash" : "bg-leaf"}`}
                    style={{ width: FIXED }}
                    title={at ? `Record ${at.row.row} of the source` : undefined}
                  >
                    {at ? at.row.id || `record ${at.row.row}` : "…"}
                  </div>
                  {seen.map((c) => {
                    const name = names[c] ?? "";
                    const mine = held && hand?.variable === name;
                    return (
                      // biome-ignore lint/a11y/useSemanticElements lint/a11y/useFocusableInteractive lint/a11y/useKeyWithClickEvents: as above
                      <div
                        key={name}
                        id={`cell-${place}-${c}`}
                        role="gridcell"
                        aria-colindex={c + 2}
                        aria-selected={mine}
                        onClick={() => go(place, c)}
                        className={`figures absolute top-0 h-full cursor-default truncate whitespace-pre px-2 pt-0.5 ${mine ? "outline outline-2 outline-act -outline-offset-2" : ""}`}
                        style={{ left: FIXED + c * WIDE - view.left, width: WIDE }}
                      >
                        <Shown cell={at?.cells.get(name)} codes={codes} />
                      </div>
                    );
                  })}
                </div>
              );
            })}
          </div>
        </div>
      </div>
    </div>
  );
}
