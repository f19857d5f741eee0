import type { Line } from "./edits";

const WHY: Record<Line["why"], string> = {
  known_order: "answers of a known order",
  natural_order: "answers ordered by size",
  numbered_labels: "answers that begin with their code",
  few_words: "few different answers",
  few_whole_numbers: "few consecutive whole numbers",
  numbers: "numbers",
  top_codes: "numbers with an open end",
  counts: "counts or amounts",
  written_numbers: "numbers as people write them",
  durations: "lengths of time",
  dates: "dates",
  ambiguous_dates: "day and month cannot be told apart",
  ticks: "columns that are ticked or not",
  separated: "several answers in a cell",
  open_answers: "open answers",
  identifier: "identifies each case",
  role: "the heading says so",
  leading_zeros: "numbers that begin with 0",
  index: "counts the records",
  empty: "no answers",
};

/** What to look for in a line that one is unsure of. */
const LOOK: Partial<Record<Line["why"], string>> = {
  few_words: "few different answers, in no known order: do two of them mean the same?",
  few_whole_numbers: "few consecutive whole numbers: codes, or counts?",
  numbers: "few whole numbers: counts, or codes?",
  counts: "counts, or codes?",
  role: "the heading says so: is that its part in the survey?",
  ambiguous_dates: "day and month cannot be told apart: which comes first?",
  written_numbers: "some could be read as other numbers: is this how they are written?",
  open_answers: "open answers, or a list of codes?",
  ticks: "tick-box columns: are these one multiple-response question?",
};

/** Why a line is what it is; where that is unsure, what to look for. */
export const whyOf = (line: Line, unsure: boolean) => (unsure && LOOK[line.why]) || WHY[line.why];

export const KINDS: readonly (readonly [Line["kind"], string])[] = [
  ["coded", "coded"],
  ["number", "number"],
  ["date", "date"],
  ["several", "multiple response"],
  ["text", "text"],
  ["discard", "left out"],
];

export const ORDERS: readonly (readonly [string, string])[] = [
  ["day_month_year", "day first"],
  ["month_day_year", "month first"],
  ["year_month_day", "year first"],
  ["serial", "spreadsheet serial numbers"],
];

/** A moment, in seconds since 1970, as a date, with the time where it has one. */
export function moment(seconds: number): string {
  const at = new Date(seconds * 1000);
  const midnight = seconds % 86400 === 0;
  return at.toLocaleString("en-GB", {
    timeZone: "UTC",
    day: "numeric",
    month: "short",
    year: "numeric",
    ...(midnight ? {} : { hour: "2-digit", minute: "2-digit" }),
  });
}
