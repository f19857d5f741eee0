import { useSearch } from "@tanstack/react-router";
import { type ReactNode, useState } from "react";
import type { Schema } from "../../api/client";
import { ActionButton } from "../../parts/actions";
import { Sub } from "../../parts/panes";
import { AboutForm } from "./about";
import { BandForm } from "./band";
import { FillBlankForm } from "./blanks";
import { CollapseForm } from "./collapse";
import { DraftedForm } from "./drafted";
import { OneQuestionForm } from "./one-question";
import { ReadNumberForm, TidyForm } from "./reading";
import { RecodeForm } from "./recode";
import { RenameForm } from "./rename";
import { ReplaceForm } from "./replace";
import { ReverseForm } from "./reverse";
import { ScaleForm } from "./scale";
import { ScoreForm } from "./score";
import { SplitForm, separatorOf } from "./split";
import { TopCodeForm } from "./top-code";

type View = Schema["VariableView"];

interface Tool {
  name: string;
  label: string;
  /** Whether it can be used on all of these. */
  fits: (views: readonly View[], codebook: Schema["CodebookView"]) => boolean;
  form: (views: readonly View[], codebook: Schema["CodebookView"], done: () => void) => ReactNode;
}

const kinds = (views: readonly View[], ...wanted: string[]) => views.every((v) => wanted.includes(v.variable.kind));
const namesOf = (views: readonly View[]) => views.map((v) => v.variable.name);
const oneScale = (views: readonly View[]) => new Set(views.map((v) => v.variable.scale ?? "")).size === 1;
const first = (views: readonly View[]) => views[0] as View;

/** Everything that can be made of variables, one or many at once. */
const TOOLS: Tool[] = [
  {
    name: "scale",
    label: "Answer scale …",
    fits: (views) => kinds(views, "text", "coded", "number"),
    form: (views, codebook, done) => <ScaleForm views={views} codebook={codebook} done={done} />,
  },
  {
    name: "drafted",
    label: "As the draft proposes …",
    fits: (views) => kinds(views, "text", "number") && views.every((v) => v.arrived_as === v.variable.kind),
    form: (views, _, done) => <DraftedForm names={namesOf(views)} done={done} />,
  },
  {
    name: "number",
    label: "Read as numbers …",
    fits: (views) => kinds(views, "text"),
    form: (views, _, done) => <ReadNumberForm names={namesOf(views)} done={done} />,
  },
  {
    name: "tidy",
    label: "Clean up text …",
    fits: (views) => kinds(views, "text"),
    form: (views, codebook, done) => <TidyForm names={namesOf(views)} codebook={codebook} done={done} />,
  },
  {
    name: "replace",
    label: "Replace wordings …",
    fits: (views) =>
      kinds(views, "text", "coded", "number") && views.some((v) => v.variable.kind === "text" || v.unplaced > 0),
    form: (views, _, done) => <ReplaceForm names={namesOf(views)} done={done} />,
  },
  {
    name: "split",
    label: "Split answers …",
    fits: (views) => views.length === 1 && kinds(views, "text") && separatorOf(first(views)) != null,
    form: (views, _, done) => <SplitForm view={first(views)} done={done} />,
  },
  {
    name: "one-question",
    label: "Combine into a multiple-response question …",
    fits: (views) => views.length > 1 && kinds(views, "text", "number", "coded") && views.every((v) => v.distinct <= 3),
    form: (views, _, done) => <OneQuestionForm views={views} done={done} />,
  },
  {
    name: "reverse",
    label: "Reverse …",
    fits: (views, codebook) =>
      kinds(views, "coded") && views.every((v) => codebook.scales[v.variable.scale ?? ""]?.ordered),
    form: (views, _, done) => <ReverseForm views={views} done={() => done()} />,
  },
  {
    name: "collapse",
    label: "Combine categories …",
    fits: (views) => views.length === 1 && kinds(views, "coded"),
    form: (views, _, done) => <CollapseForm view={first(views)} done={done} />,
  },
  {
    name: "recode",
    label: "Recode …",
    fits: (views) => kinds(views, "coded") && oneScale(views),
    form: (views, codebook, done) => <RecodeForm views={views} codebook={codebook} done={done} />,
  },
  {
    name: "fill",
    label: "Code blanks as …",
    fits: (views) => kinds(views, "coded", "number") && oneScale(views) && views.some((v) => v.blank > 0),
    form: (views, codebook, done) => <FillBlankForm views={views} codebook={codebook} done={done} />,
  },
  {
    name: "band",
    label: "Band …",
    fits: (views) => views.length === 1 && kinds(views, "number"),
    form: (views, _, done) => <BandForm variable={first(views).variable} number={first(views).number} done={done} />,
  },
  {
    name: "top-code",
    label: "Top-code …",
    fits: (views) => views.length === 1 && kinds(views, "number"),
    form: (views, _, done) => <TopCodeForm variable={first(views).variable} done={done} />,
  },
  {
    name: "score",
    label: "Score or count blanks …",
    fits: (views) => views.length > 1 && kinds(views, "coded", "number"),
    form: (views, _, done) => <ScoreForm views={views} done={done} />,
  },
  {
    name: "rename",
    label: "Rename …",
    fits: (views) => views.length === 1,
    form: (views) => <RenameForm name={first(views).variable.name} />,
  },
  {
    name: "about",
    label: "About …",
    fits: () => true,
    form: (views, _, done) => <AboutForm views={views} done={done} />,
  },
];

/** The tools that fit some variables, and the one in hand. */
export function Tools({ views, codebook }: { views: readonly View[]; codebook: Schema["CodebookView"] }) {
  const opened = useSearch({ from: "/study/$id/codebook/{-$item}" }).tool;
  const [tool, setTool] = useState<string | null>(opened ?? null);
  const there = TOOLS.filter((t) => t.fits(views, codebook));
  const current = there.find((t) => t.name === tool);
  return (
    <>
      <div className="mt-4 flex flex-wrap gap-1 border-hair border-t pt-3 min-[1600px]:mt-0">
        {there.map((t) => (
          <ActionButton
            key={t.name}
            id={`tool-${t.name}`}
            label={t.label}
            pressed={tool === t.name}
            className={tool === t.name ? "bg-wash" : ""}
            run={() => setTool(tool === t.name ? null : t.name)}
          />
        ))}
      </div>
      {current && (
        <section className="max-w-3xl pb-8">
          <Sub>{current.label.replace(" …", "")}</Sub>
          {current.form(views, codebook, () => setTool(null))}
        </section>
      )}
    </>
  );
}
