import type { ReactNode } from "react";
import { count, decimals, percent } from "../../parts/figures";
import { type Answer, leftOf, type Row, spanOf } from "./picture-data";

const WIDE = 840;
const LABEL = 190;
const RIGHT = 56;
const ROOM = WIDE - LABEL - RIGHT;
/** From one end of a scale to the other: told apart by lightness within each half, and by where they lie. */
const ENDS = { low: "#8a3a06", high: "#123f43", middle: "#cbc3b4" };
const INK = "#211e19";
const SOFT = "#5d564b";

/** As much of a label as fits beside a row. */
const short = (label: string) => (label.length > 29 ? `${label.slice(0, 28).trimEnd()}…` : label);

/** A mixture of two colours, #rrggbb. */
function mixed(a: string, b: string, share: number) {
  const at = (k: number) =>
    Math.round(Number.parseInt(a.slice(k, k + 2), 16) * (1 - share) + Number.parseInt(b.slice(k, k + 2), 16) * share)
      .toString(16)
      .padStart(2, "0");
  return `#${at(1)}${at(3)}${at(5)}`;
}

/** The colour of the i-th of n answers: two halves from a scale's ends, or one ramp. */
function colourOf(i: number, n: number, middle: number | null) {
  if (middle == null) return mixed(ENDS.high, "#d8dcd2", n > 1 ? i / (n - 1) : 0);
  if (i === middle) return ENDS.middle;
  const half = i < middle ? (middle - i) / Math.max(middle, 1) : (i - middle) / Math.max(n - 1 - middle, 1);
  return mixed("#d9cfc0", i < middle ? ENDS.low : ENDS.high, 0.25 + 0.75 * half);
}

const onDark = (colour: string) => Number.parseInt(colour.slice(1, 3), 16) < 150;

function Text({
  x,
  y,
  anchor,
  soft,
  bold,
  children,
}: {
  x: number;
  y: number;
  anchor?: "middle" | "end";
  soft?: boolean;
  bold?: boolean;
  children: ReactNode;
}) {
  return (
    <text
      x={x}
      y={y}
      textAnchor={anchor}
      fill={soft ? SOFT : INK}
      fontSize={soft ? 11 : 12.5}
      fontWeight={bold ? 600 : 400}
    >
      {children}
    </text>
  );
}

/** Where each row stands; a heading before each banner entry. */
function placed(rows: readonly Row[], tall: number, top: number) {
  let y = top;
  let group = "";
  const places = rows.map((row) => {
    const heading = row.group !== group ? row.group : null;
    group = row.group;
    if (heading) y += 22;
    const at = y;
    y += tall;
    return { row, y: at, heading };
  });
  return { places, bottom: y };
}

function RowLabel({ row, y, heading, tall }: { row: Row; y: number; heading: string | null; tall: number }) {
  return (
    <>
      {heading && (
        <text x={0} y={y - 7} fill={INK} fontSize={12.5} fontStyle="italic">
          {heading}
        </text>
      )}
      <Text x={LABEL - 10} y={y + tall / 2 + 1} anchor="end">
        {short(row.label)}
        <title>{row.label}</title>
      </Text>
      {row.base != null && (
        <Text x={WIDE} y={y + tall / 2 + 1} anchor="end" soft>
          n = {count(row.base)}
        </Text>
      )}
    </>
  );
}

function Key({ shares, middle }: { shares: readonly Answer[]; middle: number | null }) {
  let x = LABEL;
  let y = 12;
  return (
    <>
      {shares.map((s, i) => {
        const wide = 34 + s.label.length * 6.6;
        if (x + wide > WIDE) {
          x = LABEL;
          y += 18;
        }
        const at = { x, y };
        x += wide;
        return (
          <g key={s.code}>
            <rect
              x={at.x}
              y={at.y - 10}
              width={12}
              height={12}
              fill={colourOf(i, shares.length, middle)}
              stroke={SOFT}
              strokeWidth={0.5}
            />
            <Text x={at.x + 17} y={at.y}>
              {s.label}
            </Text>
          </g>
        );
      })}
    </>
  );
}

const keyHeight = (shares: readonly Answer[]) =>
  18 * Math.ceil((shares.reduce((w, s) => w + 34 + s.label.length * 6.6, 0) + 40) / (WIDE - LABEL)) + 8;

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
  const { places, bottom } = placed(rows, tall, keyHeight(first));
  const sides = rows.map((r) => {
    const left = middle == null ? 0 : leftOf(r.shares, first, middle);
    return [left, r.shares.reduce((sum, s) => sum + s.est, 0) - left] as const;
  });
  const left = Math.max(...sides.map((s) => s[0]), 0);
  const scale = ROOM / Math.max(left + Math.max(...sides.map((s) => s[1])), 1e-9);
  const nought = LABEL + left * scale;
  return (
    <Frame height={bottom + 8}>
      <Key shares={first} middle={middle} />
      {middle != null && (
        <line x1={nought} x2={nought} y1={keyHeight(first) - 4} y2={bottom} stroke={INK} strokeWidth={0.8} />
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
                  <rect
                    x={at}
                    y={y + 3}
                    width={wide}
                    height={tall - 8}
                    fill={colour}
                    stroke="#fdfbf5"
                    strokeWidth={0.7}
                  >
                    <title>{`${row.label}, ${s.label}: ${percent(s.est)} %`}</title>
                  </rect>
                  {wide > 26 && (
                    <text
                      x={at + wide / 2}
                      y={y + tall / 2 + 3}
                      textAnchor="middle"
                      fontSize={11}
                      fill={onDark(colour) ? "#fff" : INK}
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

/** A value with its interval as a line: whiskers on a bar from nought, or a dot. */
function Whisker({
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
      <path d={line} stroke="#fdfbf5" strokeWidth={2.6} fill="none" />
      <path d={line} stroke={INK} fill="none" />
    </>
  );
}

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
                      fill={k ? "#a9c3bf" : "#6d9996"}
                    />
                  )}
                  {s && <Whisker x={x} y={at} low={s.low} high={s.high} />}
                  {s && dots && (
                    <circle
                      cx={x(s.est)}
                      cy={at}
                      r={4.5}
                      fill={k ? "#fdfbf5" : ENDS.high}
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

/** Every column by itself, a group of bars for each, an answer a bar; with intervals. */
export function ByGroup({ answers, rows }: { answers: readonly Answer[]; rows: readonly Row[] }) {
  const tall = 15;
  const most = Math.max(...rows.flatMap((r) => r.shares.map((s) => s.high ?? s.est)), 0.01);
  const x = (v: number) => LABEL + (v / most) * ROOM;
  const each = answers.length * tall + 14;
  const { places, bottom } = placed(rows, each, keyHeight(answers));
  return (
    <Frame height={bottom + 22}>
      <Key shares={answers} middle={null} />
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
      <line x1={LABEL} x2={LABEL} y1={keyHeight(answers) - 4} y2={bottom} stroke={SOFT} strokeWidth={0.8} />
      <Text x={LABEL} y={bottom + 16} soft>
        0 %
      </Text>
      <Text x={LABEL + ROOM} y={bottom + 16} anchor="end" soft>
        {percent(most, 0)} %
      </Text>
    </Frame>
  );
}

/** Upright lines at three places of a scale, with what they stand for. */
function Scale({ low, high, bottom }: { low: number; high: number; bottom: number }) {
  const x = (v: number) => LABEL + ((v - low) / (high - low)) * ROOM;
  return [low, (low + high) / 2, high].map((v) => (
    <g key={v}>
      <line x1={x(v)} x2={x(v)} y1={4} y2={bottom} stroke="#ddd5c5" />
      <Text x={x(v)} y={bottom + 16} anchor="middle" soft>
        {decimals(v, 2)}
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
              fill="#a9c3bf"
              stroke={INK}
              strokeWidth={0.8}
            >
              <title>
                {`${row.label}: ${[box.low, box.quarter, box.median, box.threeQuarters, box.high].map((v) => decimals(v, 2)).join(", ")}`}
              </title>
            </rect>
            <line x1={x(box.median)} x2={x(box.median)} y1={at - 9} y2={at + 9} stroke={INK} strokeWidth={2.2} />
            {row.mean && <circle cx={x(row.mean.est)} cy={at} r={3} fill="#fdfbf5" stroke={INK} />}
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

function Frame({ height, children }: { height: number; children: ReactNode }) {
  return (
    <svg
      xmlns="http://www.w3.org/2000/svg"
      viewBox={`0 0 ${WIDE} ${height}`}
      width={WIDE}
      height={height}
      fontFamily="'Source Sans 3', 'Noto Sans', sans-serif"
      className="h-auto max-w-full"
      role="img"
      aria-label="Picture of the table; its figures stand in the table"
    >
      <rect width={WIDE} height={height} fill="#fdfbf5" />
      {children}
    </svg>
  );
}
