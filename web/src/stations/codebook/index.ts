import { createRoute, lazyRouteComponent } from "@tanstack/react-router";
import type { Station } from "../../parts/station";
import { studyRoute } from "../../routes";

const route = createRoute({
  getParentRoute: () => studyRoute,
  path: "codebook/{-$item}",
  component: lazyRouteComponent(() => import("./station"), "CodebookStation"),
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
      "Questions as they were asked, with their answers, codes and shares; batteries as the grids they were. Make an answer scale once, from the words people used or by typing or pasting lines, and apply it to every question that was answered with it.",
      "Only whole answers are matched to codes. Before a scale is applied, each question shows which answers fit; one key (a) accepts the likely meanings. What does not fit stays visible as a finding and counts as missing until it is resolved. A scale that would change what a code means is refused.",
      "Every step shows old × new before it is taken, so that a wrong recode is seen. “Several at once” does one thing to many questions. The codebook can be exported and imported as CSV or as a table schema; a file changes only what differs in it.",
    ],
    words: [
      ["Answer scale", "codes with labels, in order, and codes that mean no answer."],
      ["Ordered", "the answers have a direction, as from disagree to agree. Only ordered scales can be reversed."],
      ["Reverse", "codes are assigned in reverse order and labels move with them, so each answer keeps its label."],
      ["Band", "a number becomes categories: from (included) up to below (not included)."],
      ["Battery", "neighbouring questions with a common stem and the same answers."],
      ["Level of measurement", "nominal, ordinal, interval or ratio; implied by kind and scale, unless it is said."],
      ["Formula", "names and functions are offered as you type; ↑ ↓ and Enter or Tab take one, Esc puts them away."],
    ],
  },
} as const satisfies Station;
