import { colourOf, SOFT } from "./colours";
import type { Answer } from "./data";
import { LABEL, LETTER, Text, WIDE } from "./frame";

const LINE = 18;

/** Where the answers of a key stand, and how high it is. It begins above the bars, or further left where that spares a line. */
export function keyOf(answers: readonly Answer[]) {
  const widths = answers.map((answer) => 34 + answer.label.length * LETTER);
  const left = Math.max(Math.min(LABEL, WIDE - widths.reduce((sum, wide) => sum + wide, 0)), 0);
  let x = left;
  let y = 12;
  const places = answers.map((answer, i) => {
    const wide = widths[i] ?? 0;
    if (x > left && x + wide > WIDE) {
      x = left;
      y += LINE;
    }
    const at = { answer, x, y };
    x += wide;
    return at;
  });
  return { places, height: y + LINE - 4 };
}

/** Which colour stands for which answer. */
export function Key({ answers, middle }: { answers: readonly Answer[]; middle: number | null }) {
  return keyOf(answers).places.map(({ answer, x, y }, i) => (
    <g key={answer.code}>
      <rect
        x={x}
        y={y - 10}
        width={12}
        height={12}
        fill={colourOf(i, answers.length, middle)}
        stroke={SOFT}
        strokeWidth={0.5}
      />
      <Text x={x + 17} y={y}>
        {answer.label}
      </Text>
    </g>
  ));
}
