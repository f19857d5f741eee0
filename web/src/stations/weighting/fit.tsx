import type { Schema } from "../../api/client";
import { count, decimals, percent } from "../../parts/figures";

type Row = Schema["MarginRow"];

/** Sample, target and weighted share on one line: a hollow ring, an upright stroke, a full dot. */
export function FitLine({ row, top }: { row: Row; top: number }) {
  const x = (share: number) => `${4 + (92 * share) / top}%`;
  return (
    <svg
      className="h-5 w-full"
      role="img"
      aria-label={`sample ${percent(row.before)}, target ${percent(row.target)}, weighted ${percent(row.after)} per cent`}
    >
      <line x1="4%" x2="96%" y1="10" y2="10" stroke="var(--hair)" />
      <line x1={x(row.before)} x2={x(row.after)} y1="10" y2="10" stroke="var(--rule)" />
      <line x1={x(row.target)} x2={x(row.target)} y1="2" y2="18" stroke="var(--heed)" strokeWidth="2" />
      <circle cx={x(row.before)} cy="10" r="4" fill="var(--paper)" stroke="var(--ink)" />
      <circle cx={x(row.after)} cy="10" r="3.5" fill="var(--act)" />
    </svg>
  );
}

export function FitKey() {
  return (
    <p className="text-soft text-xs">
      <span className="text-ink">○</span> sample, by base weight · <span className="text-heed">|</span> target ·{" "}
      <span className="text-act">●</span> weighted
    </p>
  );
}

/** All categories of a margin as picture and numbers. */
export function FitPicture({ rows }: { rows: readonly Row[] }) {
  const top = Math.max(...rows.flatMap((r) => [r.before, r.after, r.target]));
  return (
    <>
      <table className="w-full max-w-4xl text-sm">
        <thead>
          <tr className="border-rule border-b text-right font-serif">
            <th className="py-1 text-left font-semibold">Category</th>
            <th className="w-56">
              <span className="sr-only">Picture</span>
            </th>
            <th className="w-20 font-semibold">Sample %</th>
            <th className="w-20 font-semibold">Target %</th>
            <th className="w-24 font-semibold">Weighted %</th>
            <th className="w-24 font-semibold">Mean weight</th>
            <th className="w-16 font-semibold">Cases</th>
          </tr>
        </thead>
        <tbody className="figures">
          {rows.map((row) => (
            <tr key={JSON.stringify(row.at)} className="text-right">
              <td className="text-left">{row.label}</td>
              <td>
                <FitLine row={row} top={top} />
              </td>
              <td>{percent(row.before)}</td>
              <td>{percent(row.target)}</td>
              <td>{percent(row.after)}</td>
              <td>{decimals(row.mean_weight, 3)}</td>
              <td className="text-soft">{count(row.n)}</td>
            </tr>
          ))}
        </tbody>
      </table>
      <FitKey />
    </>
  );
}
