import { createRoute, lazyRouteComponent } from "@tanstack/react-router";
import type { Station } from "../../parts/station";
import { studyRoute } from "../../routes";

const route = createRoute({
  getParentRoute: () => studyRoute,
  path: "weighting/{-$item}",
  component: lazyRouteComponent(() => import("./station"), "WeightingStation"),
  validateSearch: (search: Record<string, unknown>): { by?: string } => (search.by ? { by: String(search.by) } : {}),
});

export const weighting = {
  name: "weighting",
  title: "Weighting",
  key: "4",
  route,
  help: {
    title: "Weighting",
    paragraphs: [
      "Raking multiplies the base weights, margin by margin, until each category has its target share. Targets are matched by label or code, in any order.",
      "A study can have several weights; the design says which one the tables use. Limits keep weights within multiples of their mean: the curve shows what that buys in precision and which share it moves, before you choose.",
      "The design says how the sample was drawn and how standard errors are made. It is declared once and every table uses it.",
    ],
    words: [
      ["Base weight", "the inverse of a case’s selection probability; without one, every case starts at 1."],
      ["Margin", "a variable, or several crossed, whose population shares or counts are known."],
      [
        "Effective sample size",
        "(Σ w)² / Σ w²: how many equally weighted cases would be as precise, as far as weights go.",
      ],
      [
        "Non-response adjustment",
        "in cells of like people, those who answered take over the base weight of those who did not.",
      ],
      [
        "Limit",
        "the largest (or smallest) multiple of the mean weight that a case may have; the margins are still met.",
      ],
      [
        "Replicates",
        "the sample changed many times (a first-stage unit left out, units drawn again); how much an estimate varies among them is its standard error.",
      ],
      [
        "Account for raking",
        "what the margins fix is no longer counted as uncertain; estimates related to them get smaller standard errors.",
      ],
      [
        "Stratum, cluster",
        "the parts the population was divided into before drawing; the first-stage units drawn in them.",
      ],
      [
        "Population size (for the fpc)",
        "how many first-stage units each stratum has in all, for the finite population correction.",
      ],
    ],
  },
} as const satisfies Station;
