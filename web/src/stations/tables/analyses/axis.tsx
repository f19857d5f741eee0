/** Estimates with their intervals on one axis: a dot on a line, one a row, drawn in the rows of a table. */
export interface Axis {
  low: number;
  high: number;
  /** Where nothing is: 0, or 1 of a ratio. */
  nought: number | null;
  /** Ratios stand on a logarithmic axis. */
  log: boolean;
}

interface Seen {
  est?: number | null;
  low?: number | null;
  high?: number | null;
}

/** An axis that holds some estimates and, where there is one, the place of nothing. */
export function axisOf(rows: readonly Seen[], nought: number | null, log = false): Axis | null {
  const values = rows.flatMap((r) => [r.est, r.low, r.high]).filter((v): v is number => v != null && (!log || v > 0));
  if (!values.length) return null;
  const at = (v: number) => (log ? Math.log(v) : v);
  const all = [...values.map(at), ...(nought == null ? [] : [at(nought)])];
  const [low, high] = [Math.min(...all), Math.max(...all)];
  const room = (high - low) * 0.06 || 0.5;
  return { low: low - room, high: high + room, nought, log };
}

export function Dot({ seen, axis, says }: { seen: Seen; axis: Axis; says: string }) {
  const x = (v: number) => `${(100 * ((axis.log ? Math.log(v) : v) - axis.low)) / (axis.high - axis.low)}%`;
  const { est, low, high } = seen;
  return (
    <svg className="h-5 w-full min-w-40 overflow-visible" role="img" aria-label={says}>
      {axis.nought != null && (
        <line x1={x(axis.nought)} x2={x(axis.nought)} y1="-4" y2="24" stroke="var(--rule)" strokeDasharray="2 3" />
      )}
      {low != null && high != null && (!axis.log || low > 0) && (
        <line x1={x(low)} x2={x(high)} y1="10" y2="10" stroke="var(--ink)" strokeWidth="1.5" />
      )}
      {est != null && <circle cx={x(est)} cy="10" r="4" fill="var(--act)" />}
    </svg>
  );
}
