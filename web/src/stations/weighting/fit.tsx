import { count, decimals, percent } from "../../parts/figures";
import type { Report } from "./weights";

type Row = Report["margins"][number]["rows"][number];

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

/** The headings of a margin's categories. */
export function FitHead({ target }: { target: string }) {
  return (
    <thead>
      <tr className="border-rule border-y text-right font-serif">
        <th className="py-1 text-left font-semibold">Category</th>
        <th className="w-52">
          <span className="sr-only">Picture</span>
        </th>
        <th className="w-20 font-semibold">Sample %</th>
        <th className="w-28 pr-1 font-semibold">{target}</th>
        <th className="w-24 font-semibold">Weighted %</th>
        <th className="w-24 font-semibold">Mean weight</th>
        <th className="w-16 font-semibold">Cases</th>
      </tr>
    </thead>
  );
}

/** The largest share of some categories, which their pictures reach to. */
export const topOf = (rows: readonly Row[]) => Math.max(0.01, ...rows.flatMap((r) => [r.before, r.after, r.target]));

/** What a category's cells say but for its name and target. */
export function FitCells({ row, top, target }: { row?: Row; top: number; target: React.ReactNode }) {
  const gap = row && Math.abs(row.after - row.target) > 0.0005;
  return (
    <>
      <td>{row && <FitLine row={row} top={top} />}</td>
      <td>{row ? percent(row.before) : "–"}</td>
      <td>{target}</td>
      <td className={gap ? "font-semibold text-heed" : ""}>{row ? `${gap ? "▲ " : ""}${percent(row.after)}` : "–"}</td>
      <td>{row ? decimals(row.mean_weight, 3) : "–"}</td>
      <td className="text-soft">{row ? count(row.n) : "–"}</td>
    </>
  );
}

/** All categories of a margin as picture and numbers. */
export function FitPicture({ rows }: { rows: readonly Row[] }) {
  const top = topOf(rows);
  return (
    <>
      <table className="w-full max-w-4xl text-sm">
        <FitHead target="Target %" />
        <tbody className="figures">
          {rows.map((row) => (
            <tr key={JSON.stringify(row.at)} className="text-right">
              <td className="text-left">{row.label}</td>
              <FitCells row={row} top={top} target={<span className="pr-1">{percent(row.target)}</span>} />
            </tr>
          ))}
        </tbody>
      </table>
      <FitKey />
    </>
  );
}
