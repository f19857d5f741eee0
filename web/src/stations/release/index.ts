import { createRoute } from "@tanstack/react-router";
import type { Station } from "../../parts/station";
import { studyRoute } from "../../routes";
import { ReleaseStation } from "./station";

const route = createRoute({
  getParentRoute: () => studyRoute,
  path: "release",
  component: ReleaseStation,
});

export const release = {
  name: "release",
  title: "Release",
  key: "6",
  route,
  help: {
    title: "Release",
    paragraphs: ["Files to hand over. Making them again from the same study gives the same tables."],
    words: [["Methods note", "what was done: cases, exclusions, weighting, design, intervals, version."]],
  },
} as const satisfies Station;
