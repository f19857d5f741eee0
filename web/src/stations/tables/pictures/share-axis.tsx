import { percent } from "../../../parts/figures";
import { SOFT } from "./colours";
import type { Row } from "./data";
import { LABEL, ROOM, Text } from "./frame";

/** From nought to the largest upper limit: that share, and where a share lies. */
export function shareScale(rows: readonly Row[]) {
  const most = Math.max(...rows.flatMap((r) => r.shares.map((s) => s.high ?? s.est)), 0.01);
  return { most, x: (share: number) => LABEL + (share / most) * ROOM };
}

/** The line that bars stand on, with what its ends mean. */
export function ShareAxis({ most, top, bottom }: { most: number; top: number; bottom: number }) {
  return (
    <>
      <line x1={LABEL} x2={LABEL} y1={top} y2={bottom} stroke={SOFT} strokeWidth={0.8} />
      <Text x={LABEL} y={bottom + 16} soft>
        0 %
      </Text>
      <Text x={LABEL + ROOM} y={bottom + 16} anchor="end" soft>
        {percent(most, 0)} %
      </Text>
    </>
  );
}
