import { percent } from "../../../parts/figures";
import { SOFT } from "./colours";
import type { Row } from "./data";
import { LABEL, ROOM, Text } from "./frame";

/** From nought to a whole per cent that no upper limit passes: that share, and where a share lies. */
export function shareScale(rows: readonly Row[]) {
  const largest = Math.max(...rows.flatMap((r) => r.shares.map((s) => s.high ?? s.est)), 0.01);
  const step = largest > 0.2 ? 5 : 1;
  const most = (step * Math.ceil((100 * largest) / step - 1e-9)) / 100;
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
