import { percent } from "../../../parts/figures";
import { colourOf, INK, lettersOn, PAPER, SOFT } from "./colours";
import { type Answer, leftOf, type Row } from "./data";
import { Frame, LABEL, ROOM } from "./frame";
import { Key, keyOf } from "./key";
import { placed, RowLabel } from "./rows";
import { ShareAxis, shareScale } from "./share-axis";
import { Whisker } from "./whisker";

/** Bars of all answers, a bar a column: from nought, or with the midpoint in the middle. */
export function Bars({
  answers: first,
  rows,
  middle,
}: {
  answers: readonly Answer[];
  rows: readonly Row[];
  middle: number | null;
}) {
  const tall = 28;
  const { places, bottom } = placed(rows, tall, keyOf(first).height);
  const sides = rows.map((r) => {
    const left = middle == null ? 0 : leftOf(r.shares, first, middle);
    return [left, r.shares.reduce((sum, s) => sum + s.est, 0) - left] as const;
  });
  const left = Math.max(...sides.map((s) => s[0]), 0);
  const scale = ROOM / Math.max(left + Math.max(...sides.map((s) => s[1])), 1e-9);
  const nought = LABEL + left * scale;
  return (
    <Frame height={bottom + 8}>
      <Key answers={first} middle={middle} />
      {middle != null && (
        <line x1={nought} x2={nought} y1={keyOf(first).height - 4} y2={bottom} stroke={INK} strokeWidth={0.8} />
      )}
      {places.map(({ row, y, heading }, k) => {
        let x = nought - (sides[k]?.[0] ?? 0) * scale;
        return (
          <g key={row.group + row.label}>
            <RowLabel row={row} y={y} heading={heading} tall={tall} />
            {row.shares.map((s) => {
              const i = first.findIndex((f) => f.code === s.code);
              const colour = colourOf(i, first.length, middle);
              const wide = s.est * scale;
              const at = x;
              x += wide;
              return (
                <g key={s.code}>
                  <rect x={at} y={y + 3} width={wide} height={tall - 8} fill={colour} stroke={PAPER} strokeWidth={0.7}>
                    <title>{`${row.label}, ${s.label}: ${percent(s.est)} %`}</title>
                  </rect>
                  {wide > 26 && (
                    <text
                      x={at + wide / 2}
                      y={y + tall / 2 + 3}
                      textAnchor="middle"
                      fontSize={11}
                      fill={lettersOn(colour)}
                    >
                      {percent(s.est, 0)}
                    </text>
                  )}
                </g>
              );
            })}
          </g>
        );
      })}
    </Frame>
  );
}

/** Every column by itself, a group of bars for each, an answer a bar; with intervals. */
export function ByGroup({ answers, rows }: { answers: readonly Answer[]; rows: readonly Row[] }) {
  const tall = 15;
  const { most, x } = shareScale(rows);
  const each = answers.length * tall + 14;
  const { places, bottom } = placed(rows, each, keyOf(answers).height);
  return (
    <Frame height={bottom + 22}>
      <Key answers={answers} middle={null} />
      {places.map(({ row, y, heading }) => (
        <g key={row.group + row.label}>
          <RowLabel row={row} y={y} heading={heading} tall={each - 14} />
          {row.shares.map((s) => {
            const i = answers.findIndex((a) => a.code === s.code);
            const at = y + i * tall + tall / 2;
            return (
              <g key={s.code}>
                <rect
                  x={LABEL}
                  y={at - 6}
                  width={Math.max(x(s.est) - LABEL, 0)}
                  height={12}
                  fill={colourOf(i, answers.length, null)}
                  stroke={SOFT}
                  strokeWidth={0.4}
                >
                  <title>{`${row.label}, ${s.label}: ${percent(s.est)} %`}</title>
                </rect>
                <Whisker x={x} y={at} low={s.low} high={s.high} />
              </g>
            );
          })}
        </g>
      ))}
      <ShareAxis most={most} top={keyOf(answers).height - 4} bottom={bottom} />
    </Frame>
  );
}
