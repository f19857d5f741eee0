import { createRoute, lazyRouteComponent } from "@tanstack/react-router";
import type { FigureKey } from "../../api/depends";
import type { Station } from "../../parts/station";
import { studyRoute } from "../../routes";

/** Which figure is asked what it depends on, and what of that is shown. */
type DependsSearch = { figure?: FigureKey; show?: "combinations" | "cases" };

const isFigure = (of: unknown): of is FigureKey =>
  typeof of === "object" && of !== null && "stub" in of && "stat" in of && Array.isArray((of as FigureKey).banner);

const route = createRoute({
  getParentRoute: () => studyRoute,
  path: "tables/{-$item}",
  validateSearch: (search: Record<string, unknown>): DependsSearch => ({
    ...(isFigure(search.figure) ? { figure: search.figure } : {}),
    ...(search.show === "combinations" || search.show === "cases" ? { show: search.show } : {}),
  }),
  component: lazyRouteComponent(() => import("./station"), "TablesStation"),
});

export const tables = {
  name: "tables",
  title: "Tables",
  key: "5",
  route,
  help: {
    title: "Tables",
    paragraphs: [
      "The plan is on the left: find, group, put in order (Alt and the arrows), make many at once, or read it from a file. The open table is recalculated at every change. T on a question in the Codebook opens its table by the default banner.",
      "Stub variables go down, banner variables across; type a part of a name or of a question. Shift and Enter sets one within the one before. The first column is all cases in the filter; a filter is a domain: nobody is removed, so standard errors stay right.",
      "Choose a heading to sort by it, a figure to see what is behind it: its uncertainty, the other columns, the cases. P turns the table into a chart and back; saved, a chart brings its title and the table's notes with it. E and I show standard errors and intervals.",
      "A recipe keeps figures, intervals, nets and tests under a name. Choose one at the top of “Figures”, or lay one on many tables under “For all tables”. What a table settles itself stays its own; “The same for all” puts it into the recipe, and every table of that recipe follows.",
      "Y copies the table with its lines and notes, as the release shows it, for a word processor, mail or a spreadsheet; “Save as” makes a file of it. Items by groups show one figure of each item in every column.",
      "Models, scale reliability and correlations are listed below the tables of the plan; the plus beside a heading begins one. Choose the event of a model on the bar of answers; press a category to make it the reference. Average predictions say what would be expected if everyone were in one category. Models are compared in a table of their own.",
      "Behind a figure: add its column to a contrast or subtract it, and see where its design effect comes from and how large another sample would have to be. Contrasts have their own error and test, whether columns share cases or not.",
      "What a figure depends on has a page of its own, opened from behind it: everything is recalculated leaving out one decision at a time, and shown by how far it moves the figure. Tick decisions that could have been taken otherwise, and the figure is calculated for every combination of them. “Influential cases” lists cases and first-stage units by what they contribute to its standard error, each with the exact figure without it. The release’s appendix can show it.",
      "“Sensitivity of the figures” does the same for the whole plan: decisions by the largest change they make anywhere, tables and analyses by how much they hang on one. Alternatives of your own, such as another cut-off, are added there. None of this changes the study; switching an entry off from there does, and can be undone.",
      "A letter beside a figure names a column whose figure is significantly smaller. ° marks an unreliable figure, × a suppressed one; the notes give the rules. Both follow rules under “For all tables”.",
    ],
    words: [
      ["Base", "the cases that answered, unweighted."],
      ["Design effect", "the variance over that of a simple random sample of the same size."],
      ["Intraclass correlation", "how much alike cases of one first-stage unit are: 0 not at all, 1 completely."],
      [
        "Effective base",
        "the base over the design effect: how many cases of a simple random sample would say as much.",
      ],
      ["Net", "several answers as one row, or one column, such as agree and strongly agree."],
      ["Recipe", "settings of tables kept under a name, laid on any number of them."],
      ["Contrast", "columns added and subtracted, or one over another, with its own error and test."],
      ["Odds ratio", "how many times the odds of the event are those of the reference, all else as it is."],
      ["Average prediction", "what the model expects if everyone were in one category and all else stayed."],
      ["Cronbach's α", "how well items that are meant to measure one thing agree, up to 1."],
      ["Suppressed", "figures of few cases, and others from which those could be calculated."],
      ["% of cases, % of responses", "of those who answered the question; of all the answers they ticked."],
      ["Clearest of", "the sentences name the clearest difference, and test it against all those it was picked from."],
      ["Logit, Wald, Wilson, beta", "ways to make an interval for a share; logit keeps it between 0 and 100."],
    ],
  },
} as const satisfies Station;
