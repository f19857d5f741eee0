import { Check } from "@phosphor-icons/react";
import { useState } from "react";
import type { Schema } from "../../api/client";
import { useChange } from "../../api/queries";
import { ActionButton } from "../../parts/actions";
import { Field, TextInput } from "../../parts/fields";
import { tell } from "../../parts/notices";
import { CHOSEN, texts, type VariableView } from "./matching";

const NOT = /^(no|n|0|false|off|unchecked|not (selected|chosen|ticked))$/i;

/** What some names begin with in common, without the numbers behind it. */
function commonName(names: readonly string[]) {
  const [first = "", ...others] = names;
  let n = first.length;
  for (const other of others) while (n && !other.startsWith(first.slice(0, n))) n--;
  return first.slice(0, n).replace(/[_\d.]+$/, "") || `${first}_any`;
}

/** Chosen columns, ticked or not, made one question that several answers can be given to. */
export function OneQuestionForm({ views, done }: { views: readonly VariableView[]; done: () => void }) {
  const { change } = useChange();
  const names = views.map((v) => v.variable.name);
  const [name, setName] = useState(() => commonName(names));
  const [label, setLabel] = useState("");
  const [labels, setLabels] = useState<readonly string[]>(() => views.map((v) => v.variable.label ?? v.variable.name));
  const worded = views.filter((v) => v.variable.kind === "text");
  const words = [...new Set(worded.flatMap((v) => texts(v).map((a) => a.label)))];
  const make = () => {
    const made: Schema["Variable"] = {
      name: name.trim(),
      kind: "multi",
      label: label.trim() || null,
      parts: names,
      options: labels.map((text, i) => ({ code: i + 1, label: text })),
    };
    change
      .mutateAsync((document) => {
        const book = document.codebook ?? {};
        const scales = worded.length ? { ...book.scales, chosen: CHOSEN } : book.scales;
        const step = {
          do: "code" as const,
          variables: worded.map((v) => v.variable.name),
          scale: "chosen",
          answers: Object.fromEntries(words.map((word) => [word, NOT.test(word.trim()) ? 0 : 1])),
          otherwise: "flag" as const,
        };
        return {
          codebook: { ...book, ...(scales ? { scales } : {}), variables: [...(book.variables ?? []), made] },
          ...(worded.length ? { ledger: [...(document.ledger ?? []), step] } : {}),
        };
      })
      .then(done)
      .catch(tell);
  };
  return (
    <div>
      <div className="grid grid-cols-2 gap-4">
        <Field label="Name of the question">
          {(p) => <TextInput {...p} value={name} onChange={(e) => setName(e.target.value)} />}
        </Field>
        <Field label="Label">
          {(p) => <TextInput {...p} value={label} onChange={(e) => setLabel(e.target.value)} />}
        </Field>
      </div>
      <ol aria-label="Its answers">
        {views.map((v, i) => (
          <li key={v.variable.name} className="flex items-center gap-3 py-px text-sm">
            <span className="w-40 truncate text-soft">{v.variable.name}</span>
            <TextInput
              aria-label={`Answer of ${v.variable.name}`}
              className="!w-80 !py-0 font-serif"
              value={labels[i] ?? ""}
              onChange={(e) => setLabels(labels.map((t, k) => (k === i ? e.target.value : t)))}
            />
          </li>
        ))}
      </ol>
      {words.length > 0 && (
        <p className="my-2 text-sm">
          Chosen:{" "}
          {words
            .filter((w) => !NOT.test(w.trim()))
            .slice(0, 8)
            .map((w) => `“${w}”`)
            .join(", ")}
          . A blank counts as not chosen if another answer was given; if all are blank, the question was not answered.
        </p>
      )}
      <ActionButton
        id="make-one-question"
        label="Create variable"
        icon={Check}
        look="strong"
        disabled={!name.trim() || new Set(labels).size < labels.length || change.isPending}
        run={make}
      />
    </div>
  );
}
