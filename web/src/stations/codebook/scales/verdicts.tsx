import { count } from "../../../parts/figures";
import type { Fit } from "./fit";

const MARKS: Record<string, string> = { fits: "●", "in part": "◐", already: "○" };

/** For each variable: how many of its answers the scale knows, or what stands against it. */
export function Verdicts({ fits }: { fits: readonly Fit[] }) {
  return (
    <ul aria-label="How it fits" className="my-2 text-sm">
      {fits.map((fit) => {
        const cases = fit.answers.reduce((sum, a) => sum + a.cases, 0);
        const known = fit.answers.reduce((sum, a) => sum + (a.code != null ? a.cases : 0), 0);
        const mark = MARKS[fit.verdict];
        return (
          <li key={fit.variable} className={mark ? "" : "text-heed"}>
            <span aria-hidden>{mark ?? "▲"}</span> <span className="font-semibold">{fit.variable}</span>:{" "}
            {fit.says || `${count(known)} of ${count(cases)} answers fit`}
          </li>
        );
      })}
    </ul>
  );
}

/** Variables that a scale can be laid on: nothing stands against it. */
export const layable = (fits: readonly Fit[]) =>
  fits.filter((f) => f.verdict === "fits" || f.verdict === "in part").map((f) => f.variable);
