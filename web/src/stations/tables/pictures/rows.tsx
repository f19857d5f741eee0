import { count } from "../../../parts/figures";
import { INK } from "./colours";
import type { Row } from "./data";
import { LABEL, LETTER, Text, WIDE } from "./frame";

const LONGEST = Math.floor((LABEL - 12) / LETTER);

/** As much of a label as fits beside a row. */
export const short = (label: string) => (label.length > LONGEST ? `${label.slice(0, LONGEST - 1).trimEnd()}…` : label);

/** Where each row stands; a heading before each banner entry. */
export function placed(rows: readonly Row[], tall: number, top: number) {
  let y = top;
  let group = "";
  const places = rows.map((row) => {
    const heading = row.group !== group ? row.group : null;
    group = row.group;
    if (heading) y += 22;
    const at = y;
    y += tall;
    return { row, y: at, heading };
  });
  return { places, bottom: y };
}

/** What a row is called, the heading above it where one begins, and its base. */
export function RowLabel({ row, y, heading, tall }: { row: Row; y: number; heading: string | null; tall: number }) {
  return (
    <>
      {heading && (
        <text x={0} y={y - 7} fill={INK} fontSize={12.5} fontStyle="italic">
          {heading}
        </text>
      )}
      <Text x={LABEL - 10} y={y + tall / 2 + 1} anchor="end">
        {short(row.label)}
        <title>{row.label}</title>
      </Text>
      {row.base != null && (
        <Text x={WIDE} y={y + tall / 2 + 1} anchor="end" soft>
          n = {count(row.base)}
        </Text>
      )}
    </>
  );
}
