import { percent } from "../../../parts/figures";
import { BAR, ENDS, PAPER } from "./colours";
import type { Answer, Row } from "./data";
import { Frame, LABEL, Text, WIDE } from "./frame";
import { short } from "./rows";
import { ShareAxis, shareScale } from "./share-axis";
import { Whisker } from "./whisker";

/** Every answer of every column by itself, with its interval. */
export function ByAnswer({ answers, rows, dots }: { answers: readonly Answer[]; rows: readonly Row[]; dots: boolean }) {
  const tall = 20;
  const { most, x } = shareScale(rows);
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
      <ShareAxis most={most} top={14} bottom={y} />
    </Frame>
  );
}
