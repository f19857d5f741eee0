import type { Schema } from "../../../api/client";
import { moved } from "../../../parts/find-many";

export type Line = Schema["DraftLine"];
export type LineView = Schema["LineView"];
export type Code = Schema["Code"];

/** Whether the codes of a scale stand in the file, so that they stay as they are whatever the order. */
const given = (line: Line) => line.why === "few_whole_numbers" || line.why === "numbered_labels";

const scaleOf = (line: Line) => line.scale ?? { codes: [], ordered: false, missing: [] };

/** A line whose scale has other codes, in a new order; worded answers are numbered by it. from: the code that each had before. */
function withCodes(line: Line, codes: readonly Code[], missing: readonly Code[]): Line {
  const scale = scaleOf(line);
  if (given(line)) return { ...line, scale: { ...scale, codes: [...codes], missing: [...missing] } };
  const top = codes.length < 90 ? 99 : 10 ** String(codes.length).length * 10 - 1;
  const to = new Map<number, number>();
  const own = codes.map((c, i) => {
    to.set(c.code, i + 1);
    return { ...c, code: i + 1 };
  });
  const none = missing.map((c, i) => {
    to.set(c.code, top - i);
    return { ...c, code: top - i };
  });
  const answers = Object.fromEntries(
    Object.entries(line.answers ?? {}).flatMap(([word, code]) =>
      to.has(code) ? [[word, to.get(code) as number]] : [],
    ),
  );
  const midpoint = scale.midpoint == null ? null : (to.get(scale.midpoint) ?? null);
  const known = own.some((c) => c.code === midpoint) ? midpoint : null;
  return { ...line, answers, scale: { ...scale, codes: own, missing: none, midpoint: known } };
}

/** The answer at one place moved to another. */
export function reordered(line: Line, from: number, to: number): Line {
  const scale = scaleOf(line);
  return withCodes(line, moved(scale.codes, from, to - from), scale.missing ?? []);
}

/** The answers the other way round. */
export function turned(line: Line): Line {
  const scale = scaleOf(line);
  return withCodes(line, [...scale.codes].reverse(), scale.missing ?? []);
}

/** A code called otherwise; what the file calls it goes on meaning it. */
export function relabelled(line: Line, code: number, label: string): Line {
  const scale = scaleOf(line);
  const before = [...scale.codes, ...(scale.missing ?? [])].find((c) => c.code === code)?.label;
  if (before == null || !label.trim() || before === label) return line;
  const call = (c: Code) => (c.code === code ? { ...c, label } : c);
  const { [label]: _, ...others } = line.answers ?? {};
  const worded = line.why !== "few_whole_numbers";
  return {
    ...line,
    answers: worded ? { ...others, [before]: code } : others,
    scale: { ...scale, codes: scale.codes.map(call), missing: (scale.missing ?? []).map(call) },
  };
}

/** An answer that means none, or one that does after all. */
export function meaning(line: Line, code: number, none: boolean): Line {
  const scale = scaleOf(line);
  const every = [...scale.codes, ...(scale.missing ?? [])];
  const it = every.find((c) => c.code === code);
  const codes = scale.codes.filter((c) => c.code !== code);
  const missing = (scale.missing ?? []).filter((c) => c.code !== code);
  if (!it || (none && !codes.length)) return line;
  return none ? withCodes(line, codes, [...missing, it]) : withCodes(line, [...codes, it], missing);
}

/** An answer that is another one, in other words. */
export function same(line: Line, code: number, as: number): Line {
  const scale = scaleOf(line);
  const every = [...scale.codes, ...(scale.missing ?? [])];
  const it = every.find((c) => c.code === code);
  if (!it || code === as) return line;
  const answers = Object.fromEntries(Object.entries(line.answers ?? {}).map(([w, c]) => [w, c === code ? as : c]));
  return withCodes(
    { ...line, answers: { ...answers, [it.label]: as } },
    scale.codes.filter((c) => c.code !== code),
    (scale.missing ?? []).filter((c) => c.code !== code),
  );
}
