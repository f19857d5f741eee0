import { FunnelSimple } from "@phosphor-icons/react";
import { useState } from "react";
import { useChange } from "../../api/queries";
import { ActionButton } from "../../parts/actions";
import { Field, TextInput } from "../../parts/fields";
import { count, plural } from "../../parts/figures";
import { FormulaField } from "../../parts/formula";
import { Heading } from "../../parts/panes";
import { useTried } from "../../parts/tried";

/** Cases set aside by a condition; how many it is true of is said before anything is done. */
export function SetAside() {
  const { addSteps, change } = useChange();
  const [where, setWhere] = useState("");
  const [why, setWhy] = useState("");
  const current = useTried(where.trim());
  return (
    <section aria-label="Set cases aside" className="max-w-2xl">
      <Heading over="An entry of the ledger; it can be switched off again">Set cases aside</Heading>
      <FormulaField
        label="Where this is true"
        value={where}
        change={setWhere}
        faults={current?.faults}
        hint="For example entry_status == 'Staff test', or seconds < 120, or missing(sex)"
      />
      <p className="text-sm" role="status">
        {current?.cases != null && `${count(current.cases)} of ${plural(current.of, "case")} match.`}
      </p>
      <Field label="Reason">
        {(p) => (
          <TextInput
            {...p}
            value={why}
            onChange={(e) => setWhy(e.target.value)}
            placeholder="made by our own staff while testing"
          />
        )}
      </Field>
      <ActionButton
        id="set-aside"
        label="Set them aside"
        icon={FunnelSimple}
        look="strong"
        disabled={!current?.cases || change.isPending}
        run={() => {
          addSteps({ do: "drop_cases", where: where.trim(), why: why.trim() || null }).then(
            () => {
              setWhere("");
              setWhy("");
            },
            () => {},
          );
        }}
      />
    </section>
  );
}
