/** Ink on paper: a picture is drawn as it will be printed. On a dark page the style sheet turns it, on screen alone. */
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

/** How much light a colour gives back, 0 to 1 (the relative luminance of sRGB). */
function lightness(colour: string) {
  const [r = 0, g = 0, b = 0] = [1, 3, 5].map((k) => {
    const c = Number.parseInt(colour.slice(k, k + 2), 16) / 255;
    return c <= 0.04045 ? c / 12.92 : ((c + 0.055) / 1.055) ** 2.4;
  });
  return 0.2126 * r + 0.7152 * g + 0.0722 * b;
}

/** How well one colour is read on another, 1 to 21. */
export function contrast(a: string, b: string) {
  const [low = 0, high = 0] = [lightness(a), lightness(b)].sort((x, y) => x - y);
  return (high + 0.05) / (low + 0.05);
}

/** The letters that are read better on a colour. */
export const lettersOn = (colour: string) => (contrast(PAPER, colour) > contrast(INK, colour) ? PAPER : INK);
