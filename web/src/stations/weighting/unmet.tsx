import { decimals, percent, plural } from "../../parts/figures";
import { missed, type Report, titleOf } from "./weights";

const up = (limit: number) => decimals(Math.ceil(limit * 1000) / 1000, 3);
const down = (limit: number) => decimals(Math.floor(limit * 1000) / 1000, 3);

/** What would do in place of limits that nobody can meet. */
function wouldDo({ possible: could, at_limits }: Report): string {
  if (at_limits == null) return "Targets may contradict each other: allow more cycles, or combine small categories.";
  const ways = [
    could?.high != null && `an upper limit of ${up(could.high)}`,
    could?.low != null && `a lower limit of ${down(could.low)}`,
    could?.both && `${down(could.both.low)} and ${up(could.both.high)} together`,
  ].filter(Boolean);
  if (!ways.length) return "No limits would do: the targets contradict each other among these cases.";
  return `What could be met: ${ways.join(", or ")}.`;
}

const says = (value: number, number: boolean) => (number ? decimals(value, 2) : `${percent(value, 2)} %`);

/** Margins that are not met: what would do, and the categories that are furthest off. */
export function Unmet({ report }: { report: Report }) {
  if (report.converged) return null;
  const worst = report.margins
    .flatMap((m) =>
      m.rows.map((r) => {
        const number = m.total_of != null;
        return { title: titleOf(m), row: r, number, gap: missed(r, number) };
      }),
    )
    .filter((g) => g.gap > 1e-6)
    .sort((a, b) => b.gap - a.gap);
  return (
    <div role="alert" className="my-3 max-w-4xl border-heed border-l-4 bg-heedwash px-3 py-2 text-sm">
      <p>
        <span className="font-semibold">The margins are not met.</span> {wouldDo(report)}
      </p>
      <ul className="figures mt-1">
        {worst.slice(0, 8).map((g) => (
          <li key={g.title + g.row.label}>
            {g.title}, {g.row.label}: target {says(g.row.target, g.number)}, reached {says(g.row.after, g.number)}
          </li>
        ))}
        {worst.length > 8 && <li>and {plural(worst.length - 8, "more category", "more categories")}</li>}
      </ul>
    </div>
  );
}
