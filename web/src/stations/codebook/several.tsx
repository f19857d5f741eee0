import { Trash } from "@phosphor-icons/react";
import type { Schema } from "../../api/client";
import { useChange } from "../../api/queries";
import { ActionButton } from "../../parts/actions";
import { plural } from "../../parts/figures";
import { Empty, Heading } from "../../parts/panes";
import { KIND } from "../../parts/variables";
import { Tools } from "./tools";

/** Several questions at once: what can be made of all of them together. */
export function Several({
  views,
  codebook,
}: {
  views: readonly Schema["VariableView"][];
  codebook: Schema["CodebookView"];
}) {
  const { addSteps, change } = useChange();
  if (!views.length)
    return (
      <Empty title="Several questions at once">
        Tick questions on the left, or a whole battery by its heading. What fits all of them can be done here in one
        step.
      </Empty>
    );
  const kinds = [...new Set(views.map((v) => KIND[v.variable.kind]))];
  return (
    <article>
      <Heading over={kinds.join(", ")}>{plural(views.length, "question")} at once</Heading>
      <p className="max-w-3xl text-sm">{views.map((v) => v.variable.name).join(", ")}</p>
      <Tools key={views.map((v) => v.variable.name).join()} views={views} codebook={codebook} />
      <ActionButton
        id="discard-several"
        label={`Drop ${plural(views.length, "variable")}`}
        icon={Trash}
        look="quiet"
        className="mt-4"
        disabled={change.isPending}
        run={() => {
          addSteps({ do: "discard", variables: views.map((v) => v.variable.name) }).catch(() => {});
        }}
      />
    </article>
  );
}
