import { decimals, plainly } from "../../../parts/figures";
import { BAR, ENDS, INK, PAPER } from "./colours";
import { type Row, spanOf } from "./data";
import { Frame, LABEL, ROOM, Text } from "./frame";
import { placed, RowLabel } from "./rows";
import { Whisker } from "./whisker";

/** Upright lines at three places of a scale, with what they stand for. */
function Scale({ low, high, bottom }: { low: number; high: number; bottom: number }) {
  const x = (v: number) => LABEL + ((v - low) / (high - low)) * ROOM;
  return [low, (low + high) / 2, high].map((v) => (
    <g key={v}>
      <line x1={x(v)} x2={x(v)} y1={4} y2={bottom} stroke="#ddd5c5" />
      <Text x={x(v)} y={bottom + 16} anchor="middle" soft>
        {plainly(v)}
      </Text>
    </g>
  ));
}

/** Quantiles as boxes, one a column: a line at the median, the mean as a dot where it is shown. */
export function Boxes({ rows }: { rows: readonly Row[] }) {
  const there = rows.filter((r) => r.box);
  const [low, high] = spanOf(there.flatMap((r) => (r.box ? [r.box.low, r.box.high] : [])));
  const x = (v: number) => LABEL + ((v - low) / (high - low)) * ROOM;
  const tall = 30;
  const { places, bottom } = placed(there, tall, 6);
  return (
    <Frame height={bottom + 24}>
      <Scale low={low} high={high} bottom={bottom} />
      {places.map(({ row, y, heading }) => {
        const box = row.box;
        if (!box) return null;
        const at = y + tall / 2 - 3;
        return (
          <g key={row.group + row.label} data-box={row.label}>
            <RowLabel row={row} y={y} heading={heading} tall={tall} />
            <path
              d={`M${x(box.low)},${at}H${x(box.quarter)}M${x(box.threeQuarters)},${at}H${x(box.high)}M${x(box.low)},${at - 5}v10M${x(box.high)},${at - 5}v10`}
              stroke={INK}
              fill="none"
            />
            <rect
              x={x(box.quarter)}
              y={at - 9}
              width={Math.max(x(box.threeQuarters) - x(box.quarter), 1)}
              height={18}
              fill={BAR.each}
              stroke={INK}
              strokeWidth={0.8}
            >
              <title>
                {`${row.label}: ${[box.low, box.quarter, box.median, box.threeQuarters, box.high].map((v) => decimals(v, 2)).join(", ")}`}
              </title>
            </rect>
            <line x1={x(box.median)} x2={x(box.median)} y1={at - 9} y2={at + 9} stroke={INK} strokeWidth={2.2} />
            {row.mean && <circle cx={x(row.mean.est)} cy={at} r={3} fill={PAPER} stroke={INK} />}
          </g>
        );
      })}
    </Frame>
  );
}

/** Means with their intervals, a dot a column. */
export function Means({ rows }: { rows: readonly Row[] }) {
  const there = rows.filter((r) => r.mean);
  const [low, high] = spanOf(there.flatMap((r) => [r.mean?.low ?? r.mean?.est ?? 0, r.mean?.high ?? r.mean?.est ?? 0]));
  const x = (v: number) => LABEL + ((v - low) / (high - low)) * ROOM;
  const tall = 24;
  const { places, bottom } = placed(there, tall, 6);
  return (
    <Frame height={bottom + 24}>
      <Scale low={low} high={high} bottom={bottom} />
      {places.map(({ row, y, heading }) => (
        <g key={row.group + row.label}>
          <RowLabel row={row} y={y} heading={heading} tall={tall} />
          <Whisker x={x} y={y + tall / 2 - 3} low={row.mean?.low} high={row.mean?.high} />
          <circle cx={x(row.mean?.est ?? 0)} cy={y + tall / 2 - 3} r={4.5} fill={ENDS.high}>
            <title>{`${row.label}: ${decimals(row.mean?.est ?? 0, 2)}`}</title>
          </circle>
        </g>
      ))}
    </Frame>
  );
}
