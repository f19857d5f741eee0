/** Ink on paper, whatever the theme: a picture looks as it will when it is printed. */
export const INK = "#211e19";
export const SOFT = "#5d564b";
export const PAPER = "#fdfbf5";
/** Bars that stand for one thing: everybody, and each group. */
export const BAR = { all: "#6d9996", each: "#a9c3bf" };
/** From one end of a scale to the other: told apart by lightness within each half, and by where they lie. */
export const ENDS = { low: "#8a3a06", high: "#123f43", middle: "#cbc3b4" };

/** A mixture of two colours, #rrggbb. */
function mixed(a: string, b: string, share: number) {
  const at = (k: number) =>
    Math.round(Number.parseInt(a.slice(k, k + 2), 16) * (1 - share) + Number.parseInt(b.slice(k, k + 2), 16) * share)
      .toString(16)
      .padStart(2, "0");
  return `#${at(1)}${at(3)}${at(5)}`;
}

/** The colour of the i-th of n answers: two halves from a scale's ends, or one ramp. */
export function colourOf(i: number, n: number, middle: number | null) {
  if (middle == null) return mixed(ENDS.high, "#d8dcd2", n > 1 ? i / (n - 1) : 0);
  if (i === middle) return ENDS.middle;
  const half = i < middle ? (middle - i) / Math.max(middle, 1) : (i - middle) / Math.max(n - 1 - middle, 1);
  return mixed("#d9cfc0", i < middle ? ENDS.low : ENDS.high, 0.25 + 0.75 * half);
}

/** Whether light letters are read better on it. */
export const onDark = (colour: string) => Number.parseInt(colour.slice(1, 3), 16) < 150;
