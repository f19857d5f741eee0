import { createRoute } from "@tanstack/react-router";
import type { Station } from "../../parts/station";
import { studyRoute } from "../../routes";
import { CodebookStation } from "./station";

const route = createRoute({
  getParentRoute: () => studyRoute,
  path: "codebook/{-$item}",
  component: CodebookStation,
  validateSearch: (search: Record<string, unknown>): { tool?: string } =>
    search.tool ? { tool: String(search.tool) } : {},
});

export const codebook = {
  name: "codebook",
  title: "Codebook",
  key: "2",
  route,
  help: {
    title: "Codebook",
    paragraphs: [
      "Questions as they were asked, with their answers, codes and shares; batteries as the grids they were. Make an answer scale once, from the words people used or as lines that are typed or pasted, and lay it on every question that was answered with it.",
      "Words become codes whole answer against whole answer. Before a scale is laid, each question says which answers fit; likely meanings are accepted by one key (a). What fits nothing stays visible as a finding; it counts as missing until it is settled. A scale that would change what a code means is refused.",
      "Every step shows old × new before it is taken, so that a wrong recode is seen. “Several at once” does one thing to many questions. The codebook goes out and comes in as CSV or as a table schema; a file changes only what it says differently.",
    ],
    words: [
      ["Answer scale", "codes with labels, in order, and codes that mean no answer."],
      ["Ordered", "the answers have a direction, as from disagree to agree. Only ordered scales can be reversed."],
      ["Reverse", "codes are dealt out in reverse and labels go with them, so each answer keeps its label."],
      ["Band", "a number becomes categories: from (included) up to below (not included)."],
      ["Battery", "neighbouring questions with a common stem and the same answers."],
      ["Level of measurement", "nominal, ordinal, interval or ratio; implied by kind and scale, unless it is said."],
      ["Formula", "names and functions are offered as you type; ↑ ↓ and Enter or Tab take one, Esc puts them away."],
    ],
  },
} as const satisfies Station;
