import type { AnyRoute } from "@tanstack/react-router";

/** What a page is for, and what its words mean. */
export interface HelpText {
  title: string;
  paragraphs: string[];
  words: [word: string, meaning: string][];
}

/** A place of the job: its name in addresses, what it is called, its key, its route, its help. */
export interface Station {
  name: string;
  title: string;
  key: string;
  route: AnyRoute;
  help: HelpText;
}
