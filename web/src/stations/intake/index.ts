import { createRoute, lazyRouteComponent } from "@tanstack/react-router";
import type { Station } from "../../parts/station";
import { studyRoute } from "../../routes";

const route = createRoute({
  getParentRoute: () => studyRoute,
  path: "intake/{-$item}",
  component: lazyRouteComponent(() => import("./station"), "IntakeStation"),
});

export const intake = {
  name: "intake",
  title: "Intake",
  key: "1",
  route,
  help: {
    title: "Intake",
    paragraphs: [
      "A file arrives with a codebook proposed for it, line by line: kind, answers in the order of what they say, codes and words that mean no answer, how numbers and dates are written, roles in the survey. Uncertain lines come first. Import takes them all; each can be changed first: the kind by its list, everything else by opening the line, answers by dragging or Alt and the arrow keys.",
      "What arrived: every column of the file, under a short name made from its heading. The heading is kept as the question's text.",
      "What was guessed of a file is shown and can be overruled before it is imported: delimiter, encoding, sheet, rows of headings and which of them contains the names, decimal separator, titles above the headings, notes and totals below the records.",
      "A newer file of the same survey replaces the answers or adds its records to them. It is looked at first: what is new in it, which entries of the ledger no longer fit, which figures it would change. It is imported or discarded whole.",
      "A second file can be looked up: it joins columns such as strata and base weights to the cases by a key, for instance the district.",
    ],
    words: [
      ["Case", "one record of answers. Entirely blank records are not cases."],
      ["Kind", "coded, number, date, text or multiple response; proposed from all the answers of a column."],
    ],
  },
} as const satisfies Station;
