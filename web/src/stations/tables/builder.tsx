import type { ReactNode } from "react";
import { useVocabulary } from "../../api/vocabulary";
import { FilterField } from "../../parts/filter";
import { FindMany } from "../../parts/find-many";
import { type Request, TABLED } from "../../parts/table-plan";
import { type Asked, Figures, saysFigures } from "./figures";
import { Fold } from "./fold";
import { chosenOf, entriesOf } from "./many-tables";

/** What a table asks for: stub, banner, filter, figures, interval. Every change is counted at once. where: the filter that is saved. */
export function Builder({
  request,
  where,
  codebook,
  save,
  recipe,
}: Asked & { where: Request["where"]; recipe: ReactNode }) {
  const options = (kinds: string[]) =>
    codebook.variables
      .filter((v) => kinds.includes(v.variable.kind))
      .map((v) => ({ name: v.variable.name, title: v.variable.label }));
  const lacks = codebook.variables
    .filter((v) => v.variable.kind === "text")
    .map((v) => ({ name: v.variable.name, title: "open answers: give them codes in the Codebook first" }));
  const banner = chosenOf(request.banner ?? []);
  return (
    <section aria-label="What the table asks for" className="mb-1">
      <div
        className={`grid gap-x-6 [&>*]:my-1 ${(request.stub ?? []).length > 3 ? "grid-cols-[2fr_1fr_12rem]" : "grid-cols-[1fr_1fr_14rem]"}`}
      >
        <FindMany
          id="stub"
          label="Stub (down)"
          chosen={request.stub ?? []}
          options={options(TABLED)}
          begin={!request.stub?.length}
          change={(stub) => save({ stub })}
          lacks={lacks}
        />
        <FindMany
          id="banner"
          label="Banner (across)"
          chosen={banner}
          options={options(["coded", "date"])}
          nest
          change={(to) => save({ banner: entriesOf(to) })}
        />
        <FilterField label="Filter" value={where} take={(to) => save({ where: to })} />
      </div>
      <Fold
        id="figures"
        title="Figures"
        says={`${request.recipe ? `${request.recipe}: ` : ""}${saysFigures(request, useVocabulary())}`}
      >
        {recipe}
        <Figures request={request} codebook={codebook} save={save} />
      </Fold>
    </section>
  );
}
