import { Plus, Trash } from "@phosphor-icons/react";
import { useSearch } from "@tanstack/react-router";
import { useState } from "react";
import { useChange, useStudy } from "../../api/queries";
import { ActionButton } from "../../parts/actions";
import { Field, TextInput } from "../../parts/fields";
import { count, plural } from "../../parts/figures";
import { FormulaField } from "../../parts/formula";
import { Heading, Sub } from "../../parts/panes";
import { useTried } from "../../parts/tried";

/** Conditions that every case must meet; who breaks one is a finding. */
export function Rules() {
  const study = useStudy();
  const { change } = useChange();
  const [name, setName] = useState("");
  const proposed = useSearch({ from: "/study/$id/screening/{-$item}" }).where;
  const [must, setMust] = useState(proposed ?? "");
  const broken = useTried(must.trim(), true);
  const book = study.document.codebook ?? {};
  const rules = book.rules ?? [];
  const save = (to: typeof rules) => change.mutateAsync({ codebook: { ...book, rules: to } });
  return (
    <section aria-label="Rules" className="max-w-2xl">
      <Heading over="Conditions every case must meet">Rules</Heading>
      <ul>
        {rules.map((rule) => (
          <li key={rule.name} className="flex items-baseline gap-3 border-hair border-b py-1.5">
            <span className="grow">
              <span className="font-serif">{rule.name}</span>
              <code className="block text-soft text-sm">{rule.must}</code>
            </span>
            <ActionButton
              id={`drop-rule-${rule.name}`}
              label={`Remove the rule: ${rule.name}`}
              icon={Trash}
              bare
              look="quiet"
              disabled={change.isPending}
              run={() => {
                save(rules.filter((r) => r !== rule)).catch(() => {});
              }}
            />
          </li>
        ))}
      </ul>
      {!rules.length && <p className="text-soft">There is no rule yet.</p>}
      <Sub>New rule</Sub>
      <FormulaField
        label="What must hold"
        value={must}
        change={setMust}
        faults={broken?.faults}
        hint="For example household >= 1, or age >= 18 or tenure != 2. A missing value never breaks a rule."
      />
      <p className="text-sm" role="status">
        {broken?.cases != null && `Broken by ${plural(broken.cases, "case")} of ${count(broken.of)}.`}
      </p>
      <Field
        label="Name"
        wrong={rules.some((r) => r.name === name.trim()) ? "There is a rule of this name." : undefined}
      >
        {(p) => (
          <TextInput {...p} value={name} placeholder="somebody lives there" onChange={(e) => setName(e.target.value)} />
        )}
      </Field>
      <ActionButton
        id="add-rule"
        label="Add the rule"
        icon={Plus}
        look="strong"
        disabled={
          broken?.cases == null || !name.trim() || rules.some((r) => r.name === name.trim()) || change.isPending
        }
        run={() => {
          save([...rules, { name: name.trim(), must: must.trim() }]).then(
            () => {
              setName("");
              setMust("");
            },
            () => {},
          );
        }}
      />
    </section>
  );
}
