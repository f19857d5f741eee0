import { Link } from "@tanstack/react-router";
import { useMemo } from "react";
import type { Schema } from "../../api/client";
import { useStudy } from "../../api/queries";
import { plural } from "../../parts/figures";
import { LongList } from "../../parts/long-list";
import { Heading } from "../../parts/panes";
import { KIND, roleOf } from "../../parts/variables";
import { BatteryGrid } from "./battery";
import { DelimitedProposal, SeveralProposal } from "./proposals";
import { Answers, Counts, Numbers } from "./question";
import { separatorOf } from "./split";

type View = Schema["VariableView"];

/** Parts of the questionnaire in its order: questions, batteries as one, parts of several answers within their question. */
export function partsOf(codebook: Schema["CodebookView"]): (View | Schema["Battery"])[] {
  const parts = new Set(codebook.variables.flatMap((v) => v.variable.parts ?? []));
  const battery = new Map(codebook.batteries.flatMap((b) => b.variables.map((name) => [name, b] as const)));
  const found: (View | Schema["Battery"])[] = [];
  for (const view of codebook.variables) {
    if (parts.has(view.variable.name)) continue;
    const whole = battery.get(view.variable.name);
    if (!whole) found.push(view);
    else if (whole.variables[0] === view.variable.name) found.push(whole);
  }
  return found;
}

export const isBattery = (part: View | Schema["Battery"]): part is Schema["Battery"] => "stem" in part;

function Asked({ view }: { view: View }) {
  const study = useStudy();
  const { variable } = view;
  return (
    <>
      <h2 className="font-serif text-lg leading-snug">
        <Link
          to="/study/$id/codebook/{-$item}"
          params={{ id: study.id, item: variable.name }}
          className="hover:text-act hover:underline"
        >
          {variable.label ?? variable.name}
        </Link>
      </h2>
      <p className="text-soft text-xs">
        {variable.name}, {KIND[variable.kind]}
        {variable.role && `, ${roleOf(variable)}`}
      </p>
      <Counts view={view} />
      {view.number ? (
        <Numbers number={view.number} unit={variable.unit} small />
      ) : (
        // Where every answer is another, a list of some says nothing.
        view.distinct * 3 < view.answered + 3 && <Answers view={view} few={5} whole />
      )}
    </>
  );
}

const keyOf = (part: View | Schema["Battery"]) =>
  isBattery(part) ? `battery ${part.variables[0]}` : part.variable.name;

/** A question, or a battery as a grid. */
function Part({ part, codebook }: { part: View | Schema["Battery"]; codebook: Schema["CodebookView"] }) {
  return (
    // What is out of sight is not laid out until it is scrolled to.
    <div className="border-hair border-b py-4 [contain-intrinsic-size:auto_14rem] [content-visibility:auto]">
      {isBattery(part) ? (
        <>
          <h2 className="font-serif text-lg leading-snug">{part.stem}</h2>
          <p className="mb-1 text-soft text-xs">
            {part.variables[0]} to {part.variables[part.variables.length - 1]},{" "}
            {part.scale ? `on the scale ${part.scale}` : "answered with the same words"}
          </p>
          <BatteryGrid battery={part} codebook={codebook} />
        </>
      ) : (
        <Asked view={part} />
      )}
    </div>
  );
}

/** The questionnaire as it was answered: questions in order with their answers, batteries as grids. */
export function Questionnaire({ codebook }: { codebook: Schema["CodebookView"] }) {
  const parts = useMemo(() => partsOf(codebook), [codebook]);
  const asked = new Set(codebook.variables.map((v) => v.variable.name));
  // A cell that was taken apart already has its question beside it.
  const delimited = codebook.variables.filter(
    (v) =>
      v.variable.kind === "text" && !v.variable.role && separatorOf(v) != null && !asked.has(`${v.variable.name}_each`),
  );
  return (
    <article className="max-w-4xl">
      <Heading
        over={`${plural(codebook.variables.length, "variable")}, ${plural(codebook.batteries.length, "battery", "batteries")}`}
      >
        The questionnaire, as it was answered
      </Heading>
      {codebook.several.map((proposal) => (
        <SeveralProposal key={proposal.name} proposal={proposal} />
      ))}
      {delimited.map((view) => (
        <DelimitedProposal key={view.variable.name} view={view} />
      ))}
      <LongList
        count={parts.length}
        height={220}
        keyOf={(at) => keyOf(parts[at] as View)}
        row={(at) => <Part part={parts[at] as View} codebook={codebook} />}
      />
    </article>
  );
}
