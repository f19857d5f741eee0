import { count, decimals, percent } from "../../parts/figures";
import { missed, type Row } from "./weights";

/** From where to where the pictures of some categories reach. */
export type Reach = readonly [number, number];

/** A figure of a margin: a share in per cent, or a number. */
export const fitted = (value: number, number: boolean) => (number ? decimals(value, 2) : percent(value));

/** Sample, target and weighted share on one line: a hollow ring, an upright stroke, a full dot. */
export function FitLine({ row, reach: [low, high], number }: { row: Row; reach: Reach; number: boolean }) {
  const x = (value: number) => `${4 + (92 * (value - low)) / (high - low)}%`;
  const unit = number ? "" : " per cent";
  return (
    <svg
      className="h-5 w-full"
      role="img"
      aria-label={`sample ${fitted(row.before, number)}, target ${fitted(row.target, number)}, weighted ${fitted(row.after, number)}${unit}`}
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
export function FitHead({ target, number = false }: { target: string; number?: boolean }) {
  const unit = number ? "" : " %";
  return (
    <thead>
      <tr className="border-rule border-y text-right font-serif">
        <th className="py-1 text-left font-semibold">Category</th>
        <th className="w-80">
          <span className="sr-only">Chart</span>
        </th>
        <th className="w-20 font-semibold">Sample{unit}</th>
        <th className="w-28 pr-1 font-semibold">{target}</th>
        <th className="w-24 font-semibold">Weighted{unit}</th>
        <th className="w-16 font-semibold">Cases</th>
      </tr>
    </thead>
  );
}

/** What the pictures of some categories reach over: shares from nought, numbers a little beyond their own. */
export function reachOf(rows: readonly Row[], number: boolean): Reach {
  const values = rows.flatMap((r) => [r.before, r.after, r.target]);
  if (!number) return [0, Math.max(0.01, ...values)];
  if (!values.length) return [0, 1];
  const [low, high] = [Math.min(...values), Math.max(...values)];
  const room = (high - low) * 0.1 || Math.abs(high) * 0.1 || 1;
  return [low - room, high + room];
}

/** What a category's cells say but for its name and target. */
export function FitCells({
  row,
  reach,
  target,
  number = false,
}: {
  row?: Row;
  reach: Reach;
  target: React.ReactNode;
  number?: boolean;
}) {
  const gap = row && missed(row, number) > 0.0005;
  return (
    <>
      <td>{row && <FitLine row={row} reach={reach} number={number} />}</td>
      <td>{row ? fitted(row.before, number) : "–"}</td>
      <td>{target}</td>
      <td className={gap ? "font-semibold text-heed" : ""}>
        {row ? `${gap ? "▲ " : ""}${fitted(row.after, number)}` : "–"}
      </td>
      <td className="text-soft">{row ? count(row.n) : "–"}</td>
    </>
  );
}

/** What the cases of each category weigh in the mean, behind a press. */
export function MeanWeights({ rows }: { rows: readonly Row[] }) {
  return (
    <details className="mt-1">
      <summary className="cursor-pointer text-act text-sm">Mean weights</summary>
      <table className="mt-1 text-sm">
        <thead>
          <tr className="border-rule border-y font-serif">
            <th className="py-1 text-left font-semibold">Category</th>
            <th className="pl-8 text-right font-semibold">Mean weight</th>
          </tr>
        </thead>
        <tbody className="figures">
          {rows.map((row) => (
            <tr key={JSON.stringify(row.at)}>
              <th scope="row" className="text-left font-normal">
                {row.label || "All"}
              </th>
              <td className="text-right">{decimals(row.mean_weight, 3)}</td>
            </tr>
          ))}
        </tbody>
      </table>
    </details>
  );
}

/** All categories of a margin as picture and numbers. */
export function FitPicture({ rows, number = false }: { rows: readonly Row[]; number?: boolean }) {
  const reach = reachOf(rows, number);
  return (
    <>
      <table className="w-full max-w-4xl text-sm">
        <FitHead target={number ? "Target" : "Target %"} number={number} />
        <tbody className="figures">
          {rows.map((row) => (
            <tr key={JSON.stringify(row.at)} className="text-right">
              <td className="text-left">{row.label}</td>
              <FitCells
                row={row}
                reach={reach}
                number={number}
                target={<span className="pr-1">{fitted(row.target, number)}</span>}
              />
            </tr>
          ))}
        </tbody>
      </table>
      <FitKey />
      <MeanWeights rows={rows} />
    </>
  );
}
