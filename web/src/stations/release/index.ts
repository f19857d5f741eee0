import { createRoute, lazyRouteComponent } from "@tanstack/react-router";
import type { Station } from "../../parts/station";
import { studyRoute } from "../../routes";

const route = createRoute({
  getParentRoute: () => studyRoute,
  path: "release/{-$item}",
  component: lazyRouteComponent(() => import("./station"), "ReleaseStation"),
});

export const release = {
  name: "release",
  title: "Release",
  key: "6",
  route,
  help: {
    title: "Release",
    paragraphs: [
      "The release is shown as the document it will be: write titles, headings, notes and paragraphs in place; drag the contents into order (or Alt and the arrows), leave parts out and add others. Nothing of it changes a figure.",
      "“Style and files” says in which formats it is made, what comes with it, and how errors, intervals and decimals are printed. A .docx of your organisation can supply the styles of the text document.",
      "Before it is made, the list on the left names what to look at; each line links to its place; none blocks the release. A release that was made stays as it was, with the SHA-256 of every file; any two can be compared, and what changed can be written into the next.",
      "The same study and plan give the same bytes, here and at the command line.",
    ],
    words: [
      [
        "Methods note",
        "what was done: cases, cleaning, weights, design, intervals, version. It is written automatically.",
      ],
      ["Manifest", "the list of a release's files with their sizes and SHA-256."],
    ],
  },
} as const satisfies Station;
