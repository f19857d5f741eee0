import type { Schema } from "../../../api/client";
import type { DependenceLine, FigureKey } from "../../../api/depends";
import { decimals, plural } from "../../../parts/figures";
import { SIGNED } from "../figures";
import { columnLabel, rowLabel } from "../headings";
import { insteadOf } from "./words";

type Turned = Schema["TurnedTest"];
/** What a test is of, as results have it. */
type Of = {
  stub: string | Schema["StubKey"];
  banner: string[];
  a?: (string | number)[];
  b?: (string | number)[];
};

const of = (turned: Turned) => turned.of as unknown as Of;
const stubOf = (turned: Turned): Schema["StubKey"] => {
  const { stub } = of(turned);
  return typeof stub === "string" ? { variable: stub, code: null, net: null } : stub;
};

/** Whether a letter beside a figure turns: its column is one of the two that are compared. */
export function turnsLetter(turned: readonly Turned[], figure: FigureKey): boolean {
  const path = JSON.stringify(figure.banner.map((b) => b.net ?? b.code));
  const names = JSON.stringify(figure.banner.map((b) => b.variable));
  return turned.some((t) => {
    const stub = stubOf(t);
    const same =
      stub.variable === figure.stub.variable &&
      (stub.code ?? null) === (figure.stub.code ?? null) &&
      (stub.net ?? null) === (figure.stub.net ?? null);
    const columns = [of(t).a, of(t).b].map((c) => JSON.stringify(c));
    return SIGNED.includes(t.kind) && same && JSON.stringify(of(t).banner) === names && columns.includes(path);
  });
}

const p = (value: number) => (value < 0.001 ? "p < 0.001" : `p = ${decimals(value, 3)}`);

/** A test that turns, in words. */
export function saysTurned(turned: Turned, result: Schema["TableResult"]): string {
  const { banner, a, b } = of(turned);
  const row = rowLabel(result, stubOf(turned));
  const from = `${p(turned.p)} → ${p(turned.p_without)}`;
  if (a && b) return `${row}: ${columnLabel(result, banner, a)} and ${columnLabel(result, banner, b)}, ${from}`;
  if (a) {
    const other = turned.kind === "against_rest" ? "the rest" : "the total";
    return `${row}: ${columnLabel(result, banner, a)} against ${other}, ${from}`;
  }
  const name = turned.kind === "trend" ? "trend over" : "with";
  return `${row} ${name} ${banner.join(" × ")}, ${from}`;
}

/** The tests and letters of a table that come out the other way without a decision. */
export function TurnedTests({ lines, result }: { lines: readonly DependenceLine[]; result: Schema["TableResult"] }) {
  const found = lines.flatMap((line) => (line.tables[0]?.turned ?? []).map((turned) => ({ line, turned })));
  const untested = lines.filter((line) => line.untested > 0);
  return (
    <ul className="text-sm">
      {!found.length && <li>No test or letter changes when any one of them is left out.</li>}
      {found.slice(0, 60).map(({ line, turned }) => (
        <li key={`${line.id} ${turned.kind} ${JSON.stringify(turned.of)}`} className="py-0.5">
          {saysTurned(turned, result)} <span className="text-soft">without “{insteadOf(line)}”</span>
        </li>
      ))}
      {untested.map((line) => (
        <li key={line.id} className="py-0.5 text-soft">
          {plural(line.untested, "significant test")} cannot be made on both sides, without “{insteadOf(line)}”
        </li>
      ))}
      {found.length > 60 && <li className="py-0.5 text-soft">and {found.length - 60} more</li>}
    </ul>
  );
}
