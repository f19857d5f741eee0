import { Link } from "@tanstack/react-router";
import type { Schema } from "../../api/client";
import { useHeaviest } from "../../api/queries";
import { between, count, decimals, plural } from "../../parts/figures";
import { Faults } from "../../parts/notices";
import { Heading, Sub } from "../../parts/panes";
import { FitPicture } from "./fit";
import { Strip } from "./strip";
import { Unmet } from "./unmet";
import { itemOf, nameOf, type Report, titleOf, useWeighting } from "./weights";

function Histogram({ bars }: { bars: Report["histogram"] }) {
  const top = Math.max(...bars.map((b) => b.cases), 1);
  return (
    <figure className="max-w-2xl">
      <div
        className="flex h-28 items-end gap-0.5 border-rule border-b"
        role="img"
        aria-label="Distribution of the weights"
      >
        {bars.map((b) => (
          <span
            key={b.low}
            className="grow bg-act"
            style={{ height: `${(100 * b.cases) / top}%` }}
            title={`${plural(b.cases, "case")}: ${between(decimals(b.low, 2), decimals(b.high, 2))}`}
          />
        ))}
      </div>
      <figcaption className="figures flex justify-between text-soft text-sm">
        <span>{decimals(bars[0]?.low ?? 0, 2)}</span>
        <span>weight</span>
        {bars.length > 1 && <span>{decimals(bars.at(-1)?.high ?? 0, 2)}</span>}
      </figcaption>
    </figure>
  );
}

/** The cases of largest weight; each opens in the grid of all cells. */
function Heaviest({ at }: { at: number }) {
  const { study } = useWeighting(at);
  const cases = useHeaviest(at);
  const names = Object.keys(cases[0]?.categories ?? {});
  return (
    <table className="w-full max-w-4xl text-sm">
      <thead>
        <tr className="border-rule border-y text-right font-serif">
          <th className="py-1 text-left font-semibold">Case</th>
          {names.map((name) => (
            <th key={name} className="pl-3 text-left font-semibold">
              {name}
            </th>
          ))}
          <th className="font-semibold">Base weight</th>
          <th className="font-semibold">Weight</th>
          <th className="font-semibold">Over the mean</th>
        </tr>
      </thead>
      <tbody className="figures">
        {cases.map((c) => (
          <tr key={c.row} className="text-right">
            <td className="text-left">
              <Link
                to="/study/$id/screening/{-$item}"
                params={{ id: study.id, item: "cells" }}
                search={{ where: `row == ${c.row}` }}
                className="text-act underline"
              >
                {c.id ?? `record ${c.row}`}
              </Link>
            </td>
            {names.map((name) => (
              <td key={name} className="pl-3 text-left">
                {c.categories[name]}
              </td>
            ))}
            <td>{decimals(c.base, 2)}</td>
            <td>{decimals(c.weight, 2)}</td>
            <td>{decimals(c.over_mean, 2)}</td>
          </tr>
        ))}
      </tbody>
    </table>
  );
}

/** How the weights came out. */
export function Health({ at, report, faults }: { at: number; report?: Report; faults: readonly Schema["Fault"][] }) {
  const { study, weighting } = useWeighting(at);
  const to = (part: string) =>
    ({ to: "/study/$id/weighting/{-$item}", params: { id: study.id, item: itemOf(at, part) } }) as const;
  return (
    <div>
      <Heading over="Weighting">{nameOf(weighting)}</Heading>
      <Faults faults={faults} />
      {report && (
        <>
          <Unmet report={report} />
          <div className="min-[1600px]:grid min-[1600px]:grid-cols-[minmax(0,56rem)_minmax(18rem,1fr)] min-[1600px]:items-start min-[1600px]:gap-x-12">
            <div className="min-[1600px]:sticky min-[1600px]:top-0 min-[1600px]:order-2">
              <Sub>Distribution of the weights</Sub>
              <Histogram bars={report.histogram} />
              <p className="mt-1 text-sm">
                <Link {...to("limits")} className="text-act underline">
                  What a limit would cost
                </Link>
              </p>
            </div>
            <div>
              <Strip report={report} />
              {report.margins.map((margin, i) => (
                <section key={titleOf(margin)}>
                  <Sub>
                    <Link {...to(`margin-${i}`)} className="hover:underline">
                      {titleOf(margin)}
                    </Link>
                  </Sub>
                  <FitPicture rows={margin.rows} number={margin.total_of != null} />
                </section>
              ))}
              <Sub>Heaviest cases</Sub>
              <Heaviest at={at} />
              <p className="mt-1 text-soft text-xs">
                Of {count(report.n)} cases with a weight. Click a case to see its whole record in All cells.
              </p>
            </div>
          </div>
        </>
      )}
      {!report && !faults.length && (
        <p className="mt-4 text-soft">There are no weights yet. Begin with a new margin, on the left.</p>
      )}
    </div>
  );
}
