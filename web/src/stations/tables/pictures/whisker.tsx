import { INK, PAPER } from "./colours";

/** A value with its interval as a line: whiskers on a bar from nought, or a dot. */
export function Whisker({
  x,
  y,
  low,
  high,
}: {
  x: (v: number) => number;
  y: number;
  low?: number | null;
  high?: number | null;
}) {
  if (low == null || high == null) return null;
  const line = `M${x(low)},${y}H${x(high)}M${x(low)},${y - 3.5}v7M${x(high)},${y - 3.5}v7`;
  return (
    <>
      <path d={line} stroke={PAPER} strokeWidth={2.6} fill="none" />
      <path d={line} stroke={INK} fill="none" />
    </>
  );
}
