const whole = new Intl.NumberFormat("en-GB", { maximumFractionDigits: 0 });

/** A count: 2,268. */
export const count = (n: number) => whole.format(n);

/** A number with so many decimals, and thousands apart. */
export const decimals = (n: number, digits: number) =>
  // What rounds to nought has no sign.
  n
    .toLocaleString("en-GB", {
      minimumFractionDigits: digits,
      maximumFractionDigits: digits,
      signDisplay: "negative",
    })
    .replace("-", "−");

/** A number with as many decimals as it has, up to four. */
export const plainly = (n: number) => n.toLocaleString("en-GB", { maximumFractionDigits: 4 });

/** A share as per cent, without the sign. */
export const percent = (share: number, digits = 1) => decimals(100 * share, digits);

/** "1 case", "3 cases". */
export const plural = (n: number, one: string, many = `${one}s`) => `${count(n)} ${n === 1 ? one : many}`;

/** The time of day of a moment the server gave. */
export const clock = (iso: string) => new Date(iso).toLocaleTimeString("en-GB", { hour: "2-digit", minute: "2-digit" });

/** Day and time of a moment the server gave, with the year where it is not this one. */
export const day = (iso: string) => {
  const of = new Date(iso);
  const year = of.getFullYear() === new Date().getFullYear() ? undefined : "numeric";
  return of.toLocaleString("en-GB", { day: "numeric", month: "long", year, hour: "2-digit", minute: "2-digit" });
};

/** Bytes in KB or MB. */
export const size = (bytes: number) => (bytes < 1e6 ? `${count(bytes / 1000)} KB` : `${decimals(bytes / 1e6, 1)} MB`);

/** Two ends as they are printed, or the one where both are the same. */
export const between = (low: string, high: string) => (low === high ? low : `${low} to ${high}`);
