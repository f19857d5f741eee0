import type { Schema } from "../../../api/client";
import { type Answer, answersOf, type Row, rowsOf, whoGives } from "./data";

/** What one picture shows. variable: whose scale its answers are of. */
export interface Part {
  name: string;
  title: string;
  variable: string;
  rows: Row[];
  answers: Answer[];
}

/** Each stub variable by itself. */
export const ofStubs = (result: Schema["TableResult"], total: boolean): Part[] =>
  result.stubs.map((s) => ({
    name: `${result.id}-${s.variable}`,
    title: s.title,
    variable: s.variable,
    rows: rowsOf(result, s.variable, total).filter((r) => r.shares.length || r.mean || r.box),
    answers: answersOf(result, s.variable),
  }));

/** The items of a battery as rows of one picture, one picture for everybody and for each column. */
export function ofBattery(result: Schema["TableResult"], grid: Schema["Grid"]): Part[] {
  const first = result.stubs[0]?.variable ?? "";
  return grid.sections.map((section, i) => {
    const at = JSON.stringify((section.path ?? []).map((b) => b.net ?? b.code));
    const rows = section.lines
      .filter((l) => l.strong && l.variable)
      .flatMap((l) => {
        const row = rowsOf(result, l.variable as string).find((r) => JSON.stringify(r.codes) === at);
        return row ? [{ ...row, label: l.category, group: "" }] : [];
      });
    const name = `${result.id}-${i + 1}`;
    return { name, title: section.title, rows, variable: first, answers: answersOf(result, first) };
  });
}

/** Who gives each answer: a picture for each stub variable in each banner entry. */
export function madeUp(result: Schema["TableResult"]): Part[] {
  return result.stubs
    .filter((s) => s.categories.length)
    .flatMap((s) =>
      result.banners.map((banner, k) => {
        const { rows, columns } = whoGives(result, s.variable, k);
        const title = `${s.title} · ${banner.titles.join(" › ")}`;
        return { name: `${result.id}-${s.variable}-${k + 1}`, title, variable: s.variable, rows, answers: columns };
      }),
    );
}
