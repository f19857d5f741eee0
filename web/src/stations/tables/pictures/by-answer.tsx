import { percent } from "../../../parts/figures";
import { BAR, ENDS, PAPER, SOFT } from "./colours";
import type { Answer, Row } from "./data";
import { Frame, LABEL, ROOM, Text, WIDE } from "./frame";
import { short } from "./rows";
import { Whisker } from "./whisker";

/** Every answer of every column by itself, with its interval. */
export function ByAnswer({ answers, rows, dots }: { answers: readonly Answer[]; rows: readonly Row[]; dots: boolean }) {
  const tall = 20;
  const most = Math.max(...rows.flatMap((r) => r.shares.map((s) => s.high ?? s.est)), 0.01);
  const x = (v: number) => LABEL + (v / most) * ROOM;
  let y = 8;
  return (
    <Frame height={8 + answers.length * (26 + rows.length * tall) + 24}>
      {answers.map((answer) => {
        y += 26;
        const top = y;
        y += rows.length * tall;
        return (
          <g key={answer.code}>
            <Text x={0} y={top - 8} bold>
              {answer.label}
            </Text>
            {rows.map((row, k) => {
              const s = row.shares.find((o) => o.code === answer.code);
              const at = top + k * tall + tall / 2;
              return (
                <g key={row.group + row.label}>
                  <Text x={LABEL - 10} y={at + 4} anchor="end">
                    {short(row.label)}
                    <title>{row.label}</title>
                  </Text>
                  {s && !dots && (
                    <rect
                      x={LABEL}
                      y={at - 6}
                      width={Math.max(x(s.est) - LABEL, 0)}
                      height={12}
                      fill={k ? BAR.each : BAR.all}
                    />
                  )}
                  {s && <Whisker x={x} y={at} low={s.low} high={s.high} />}
                  {s && dots && (
                    <circle
                      cx={x(s.est)}
                      cy={at}
                      r={4.5}
                      fill={k ? PAPER : ENDS.high}
                      stroke={ENDS.high}
                      strokeWidth={1.6}
                    />
                  )}
                  {s && (
                    <Text x={WIDE} y={at + 4} anchor="end">
                      {percent(s.est)}
                    </Text>
                  )}
                </g>
              );
            })}
          </g>
        );
      })}
      <line x1={LABEL} x2={LABEL} y1={14} y2={y} stroke={SOFT} strokeWidth={0.8} />
      <Text x={LABEL} y={y + 16} soft>
        0 %
      </Text>
      <Text x={LABEL + ROOM} y={y + 16} anchor="end" soft>
        {percent(most, 0)} %
      </Text>
    </Frame>
  );
}
