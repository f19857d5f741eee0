import { Link } from "@tanstack/react-router";
import type { Schema } from "../../api/client";
import { useDesign } from "../../api/queries";
import { ActionButton } from "../../parts/actions";
import { count, plural } from "../../parts/figures";
import { Heading, Sub } from "../../parts/panes";
import { itemOf, useWeighting } from "./weights";

type View = Schema["VariableView"];

const MOST = 12;

/** Coded questions that could be margins: few categories, not one of a battery or of several answers. */
export function likelyMargins(codebook: Schema["CodebookView"]): View[] {
  const together = new Set(codebook.batteries.flatMap((b) => b.variables));
  const shared = new Set(
    Object.values(codebook.used_by).flatMap((uses) => (uses.length > 2 ? uses.map((u) => u.variable) : [])),
  );
  return codebook.variables.filter((v) => {
    const categories = v.answers.filter((a) => a.sort === "answer" && a.code != null).length;
    const { kind, name, role } = v.variable;
    return (
      kind === "coded" && !role && categories >= 2 && categories <= MOST && !together.has(name) && !shared.has(name)
    );
  });
}

/** Where there are no weights yet: what could be margins, what could be a base weight, what the design could use. */
export function Start({ at, codebook }: { at: number; codebook: Schema["CodebookView"] }) {
  const { study, save } = useWeighting(at);
  const { proposal } = useDesign();
  const margins = likelyMargins(codebook);
  const weights = codebook.variables.filter((v) => v.variable.role === "weight" && v.variable.kind === "number");
  return (
    <div className="max-w-3xl">
      <Heading over="No weights yet: every case counts the same">Rake weights to known margins</Heading>
      {weights.length > 0 && (
        <>
          <Sub>Base weight</Sub>
          <ul>
            {weights.map((v) => (
              <li key={v.variable.name} className="flex items-center gap-2 text-sm">
                <span className="grow">
                  <span className="font-semibold">{v.variable.name}</span>{" "}
                  <span className="font-serif text-soft">{v.variable.label}</span>
                </span>
                <ActionButton
                  id={`begin-with-${v.variable.name}`}
                  label={`Use ${v.variable.name} as the base weight`}
                  run={() => save({ base: v.variable.name })}
                />
              </li>
            ))}
          </ul>
        </>
      )}
      <Sub>A margin over …</Sub>
      {margins.length ? (
        <ul aria-label="Questions that could be margins">
          {margins.map((v) => (
            <li key={v.variable.name}>
              <Link
                to="/study/$id/weighting/{-$item}"
                params={{ id: study.id, item: itemOf(at, "new") }}
                search={{ by: v.variable.name }}
                className="flex items-baseline gap-3 rounded px-2 py-1 text-sm hover:bg-wash"
              >
                <span className="w-40 shrink-0 truncate font-semibold text-act">{v.variable.name}</span>
                <span className="min-w-0 grow truncate font-serif">{v.variable.label}</span>
                <span className="shrink-0 text-soft">
                  {plural(
                    v.answers.filter((a) => a.sort === "answer" && a.code != null).length,
                    "category",
                    "categories",
                  )}
                  {v.blank + v.missing > 0 && `; ${count(v.blank + v.missing)} without an answer`}
                </span>
              </Link>
            </li>
          ))}
        </ul>
      ) : (
        <p className="text-soft">
          Margins are over coded questions of a few categories. Give a question codes in the Codebook first, or band a
          number.
        </p>
      )}
      {proposal && (
        <p className="mt-4 text-sm">
          Some variables have a part in the sample design that it does not use yet.{" "}
          <Link
            to="/study/$id/weighting/{-$item}"
            params={{ id: study.id, item: "design" }}
            className="text-act underline"
          >
            Go to the design
          </Link>
        </p>
      )}
    </div>
  );
}
