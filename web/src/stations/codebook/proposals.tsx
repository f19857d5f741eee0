import { Check } from "@phosphor-icons/react";
import { Link } from "@tanstack/react-router";
import { useState } from "react";
import type { Schema, Step } from "../../api/client";
import { useChange, useStudy } from "../../api/queries";
import { ActionButton } from "../../parts/actions";
import { TextInput } from "../../parts/fields";
import { plural } from "../../parts/figures";

type Several = Schema["SeveralAnswers"];

/** Columns that look like the answers of one several-answer question, proposed as one. */
export function SeveralProposal({ proposal }: { proposal: Several }) {
  const study = useStudy();
  const { change } = useChange();
  const [name, setName] = useState(proposal.name);
  const book = study.document.codebook ?? {};
  const take = () => {
    const parts = proposal.worded ? proposal.parts.map((part) => `${part}_chosen`) : proposal.parts;
    const steps: Step[] = proposal.worded
      ? proposal.parts.map((part, i) => ({
          do: "derive",
          into: `${part}_chosen`,
          value: `pick(missing(${part}), 0, 1)`,
          label: proposal.options[i]?.label ?? part,
        }))
      : [];
    const made: Schema["Variable"] = {
      name,
      kind: "multi",
      label: proposal.stem,
      parts,
      options: proposal.options,
    };
    change.mutate({
      codebook: { ...book, variables: [...(book.variables ?? []), made] },
      ...(steps.length ? { ledger: [...(study.document.ledger ?? []), ...steps] } : {}),
    });
  };
  return (
    <section aria-label={`Proposed: ${proposal.stem}`} className="my-3 border-act border-l-4 bg-leaf px-3 py-2">
      <p className="text-sm">
        {plural(proposal.parts.length, "column")}, {proposal.parts[0]} to {proposal.parts[proposal.parts.length - 1]},
        look like one question that several answers could be given to:
      </p>
      <p className="font-serif">{proposal.stem}</p>
      <p className="text-soft text-sm">{proposal.options.map((o) => o.label).join(" · ")}</p>
      <p className="mt-1 flex items-center gap-2 text-sm">
        As
        <TextInput
          aria-label={`Name of the question ${proposal.stem}`}
          className="!w-56"
          value={name}
          onChange={(e) => setName(e.target.value)}
        />
        <ActionButton
          id={`take-several-${proposal.name}`}
          label={`Make them one question: ${proposal.name}`}
          icon={Check}
          disabled={!name || change.isPending}
          run={take}
        >
          Make them one question
        </ActionButton>
      </p>
    </section>
  );
}

/** A question whose cells hold several answers each, proposed to be taken apart. */
export function DelimitedProposal({ view }: { view: Schema["VariableView"] }) {
  const study = useStudy();
  return (
    <section aria-label={`Proposed: ${view.variable.name}`} className="my-3 border-act border-l-4 bg-leaf px-3 py-2">
      <p className="text-sm">
        Cells of{" "}
        <Link
          to="/study/$id/codebook/{-$item}"
          params={{ id: study.id, item: view.variable.name }}
          search={{ tool: "split" }}
          className="font-semibold text-act underline"
        >
          {view.variable.name}
        </Link>{" "}
        hold several answers each, such as “{view.answers.find((a) => a.label.length > 12)?.label}”. They can be taken
        apart into one question of several answers.
      </p>
    </section>
  );
}
