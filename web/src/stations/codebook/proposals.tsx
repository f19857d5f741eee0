import { Check } from "@phosphor-icons/react";
import { Link } from "@tanstack/react-router";
import { useState } from "react";
import type { Schema, Step } from "../../api/client";
import { useChange, useStudy } from "../../api/queries";
import { ActionButton } from "../../parts/actions";
import { TextInput } from "../../parts/fields";
import { plural } from "../../parts/figures";
import { CHOSEN } from "./matching";

type Several = Schema["SeveralAnswers"];

/** Columns that look like the answers of one several-answer question, proposed as one. */
export function SeveralProposal({ proposal }: { proposal: Several }) {
  const study = useStudy();
  const { change } = useChange();
  const [name, setName] = useState(proposal.name);
  const book = study.document.codebook ?? {};
  const take = () => {
    // Ticked is chosen; blank beside a tick is not; who ticked none has not answered.
    const step: Step = {
      do: "code",
      variables: proposal.parts,
      scale: "chosen",
      answers: Object.fromEntries((proposal.words ?? []).map((word) => [word, 1])),
      otherwise: "flag",
    };
    const made: Schema["Variable"] = {
      name,
      kind: "multi",
      label: proposal.stem,
      parts: proposal.parts,
      options: proposal.options,
    };
    const scales = proposal.worded ? { ...book.scales, chosen: CHOSEN } : book.scales;
    change.mutate({
      codebook: { ...book, ...(scales ? { scales } : {}), variables: [...(book.variables ?? []), made] },
      ...(proposal.worded ? { ledger: [...(study.document.ledger ?? []), step] } : {}),
    });
  };
  return (
    <section aria-label={`Proposed: ${proposal.stem}`} className="my-3 border-act border-l-4 bg-leaf px-3 py-2">
      <p className="text-sm">
        {plural(proposal.parts.length, "column")}, {proposal.parts[0]} to {proposal.parts[proposal.parts.length - 1]},
        look like one multiple-response question:
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
        contain several answers each, such as “{view.answers.find((a) => a.label.length > 12)?.label}”. They can be
        split into one multiple-response question.
      </p>
    </section>
  );
}
