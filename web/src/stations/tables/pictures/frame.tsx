import type { ReactNode } from "react";
import { INK, PAPER, SOFT } from "./colours";

/** Widths in the units of a drawing: the whole, the labels of rows at its left, the bases at its right. */
export const WIDE = 840;
export const LABEL = 230;
const RIGHT = 56;
export const ROOM = WIDE - LABEL - RIGHT;
export const FONT = "'Source Sans 3', 'Noto Sans', sans-serif";
/** About how wide a letter is, for a font of 12.5. */
export const LETTER = 6.3;

/** A line of text in a drawing. */
export function Text({
  x,
  y,
  anchor,
  soft,
  bold,
  children,
}: {
  x: number;
  y: number;
  anchor?: "middle" | "end";
  soft?: boolean;
  bold?: boolean;
  children: ReactNode;
}) {
  return (
    <text
      x={x}
      y={y}
      textAnchor={anchor}
      fill={soft ? SOFT : INK}
      fontSize={soft ? 11 : 12.5}
      fontWeight={bold ? 600 : 400}
    >
      {children}
    </text>
  );
}

/** A drawing on its paper. */
export function Frame({ height, children }: { height: number; children: ReactNode }) {
  return (
    <svg
      xmlns="http://www.w3.org/2000/svg"
      viewBox={`0 0 ${WIDE} ${height}`}
      width={WIDE}
      height={height}
      fontFamily={FONT}
      className="drawing h-auto max-w-full"
      role="img"
      aria-label="Chart of the table; its figures are in the table"
    >
      <rect width={WIDE} height={height} fill={PAPER} />
      {children}
    </svg>
  );
}
