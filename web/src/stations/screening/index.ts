import { createRoute, lazyRouteComponent } from "@tanstack/react-router";
import type { Station } from "../../parts/station";
import { studyRoute } from "../../routes";

/** Which cells are looked at, and in what order. */
interface CellsSearch {
  where?: string;
  sort?: string;
  down?: boolean;
  aside?: number;
}

const route = createRoute({
  getParentRoute: () => studyRoute,
  path: "screening/{-$item}",
  component: lazyRouteComponent(() => import("./station"), "ScreeningStation"),
  validateSearch: (search: Record<string, unknown>): CellsSearch => ({
    ...(search.where ? { where: String(search.where) } : {}),
    ...(search.sort ? { sort: String(search.sort) } : {}),
    ...(search.down ? { down: true } : {}),
    ...(Number(search.aside) > 0 ? { aside: Number(search.aside) } : {}),
  }),
});

export const screening = {
  name: "screening",
  title: "Screening",
  key: "3",
  route,
  help: {
    title: "Screening",
    paragraphs: [
      "What does not fit: codes that are not in the codebook, values that are neither code nor number, staff tests, speeding, duplicate records, straight-lining, unanswered questions. Each finding leads to its cells.",
      "Resolve a finding by recoding all its cells at once, by setting its cases aside, or by accepting it with a reason; it comes back when it changes. Checks of whole records need to know which columns hold status, identifier and times: say so under About, in the Codebook.",
      "All cells shows every case as it is after the ledger: sort by a heading, narrow by a condition, walk with the arrow keys, Page Up and Down, Home and End (with Ctrl to the very first and last). Enter changes the cell in hand: that one alone, or all cells with the same value.",
      "Cases are set aside, never deleted: the flow of cases lists them by reason, and each can be restored. Item non-response is shown by question, by case and by pattern.",
    ],
    words: [
      ["Set aside", "left out of everything that follows, with the reason kept."],
      ["Pattern", "questions that were left unanswered together, and in how many cases."],
      ["Rule", "a condition that must hold for every case; a case that breaks it is a finding."],
      [
        "Condition",
        "a formula such as seconds < 120 or status == 'Staff test'. A text is compared with a coded question's labels.",
      ],
    ],
  },
} as const satisfies Station;
