import { type RefObject, useCallback, useEffect, useLayoutEffect, useRef, useState } from "react";

export const HIGH = 25;
export const WIDE = 150;
export const FIXED = 170;
export const HEAD = 29;

/** The tallest element that browsers lay out to the pixel; more rows than fit into it share its height. */
const TALLEST = 30_000_000;

export interface View {
  top: number;
  left: number;
  height: number;
  width: number;
}

/** Rows and columns in sight of a scrolled box. `position`: the row at the upper edge, with its fraction. */
export function inSight(view: View, rows: number, columns: number) {
  const step = Math.min(HIGH, TALLEST / Math.max(rows, 1));
  const room = Math.max(view.height - HEAD, 0);
  // The whole way that can be scrolled leads from the first row to the last, however many rows share a pixel.
  const pixel = rowsByPixel(rows, step, room);
  const position = Math.min(view.top * pixel, Math.max(rows - room / HIGH, 0));
  const first = Math.floor(position);
  const last = Math.min(rows - 1, Math.ceil(position + room / HIGH));
  const from = Math.max(0, Math.floor(view.left / WIDE));
  const to = Math.min(columns - 1, Math.floor((view.left + view.width - FIXED) / WIDE));
  return { step, pixel, position, first, last, from, to };
}

/** How many rows a pixel of scrolling passes. */
function rowsByPixel(rows: number, step: number, room: number): number {
  const way = rows * step - room;
  return way > 0 ? (rows - room / HIGH) / way : 1 / HIGH;
}

/** Where a box has to be scrolled to so that a row and a column are in sight. */
export function scrolledTo(view: View, rows: number, place: number, column: number): { top: number; left: number } {
  const { pixel, position } = inSight(view, rows, 1);
  const whole = Math.floor((view.height - HEAD) / HIGH) - 1;
  const left = column * WIDE;
  const room = view.width - FIXED;
  return {
    top: place < position ? place / pixel : place > position + whole ? (place - whole) / pixel : view.top,
    left: left < view.left ? left : left + WIDE > view.left + room ? left + WIDE - room : view.left,
  };
}

/** How far a box is scrolled and how large it is, kept up to date. */
export function useView(box: RefObject<HTMLDivElement | null>, ready: boolean): [View, () => void] {
  const [view, setView] = useState<View>({ top: 0, left: 0, height: 400, width: 800 });
  const waiting = useRef(false);
  const look = useCallback(() => {
    if (waiting.current) return;
    waiting.current = true;
    requestAnimationFrame(() => {
      waiting.current = false;
      const b = box.current;
      if (b) setView({ top: b.scrollTop, left: b.scrollLeft, height: b.clientHeight, width: b.clientWidth });
    });
  }, [box]);
  useLayoutEffect(look, [look]);
  useEffect(() => {
    if (!ready || !box.current) return;
    const observer = new ResizeObserver(look);
    observer.observe(box.current);
    return () => observer.disconnect();
  }, [box, look, ready]);
  return [view, look];
}
