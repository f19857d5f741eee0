import { Check } from "@phosphor-icons/react";
import { useQuery } from "@tanstack/react-query";
import { type ComponentType, useState } from "react";
import { api, got, Refusal, type Schema, type Step } from "../api/client";
import { useChange, useStudy } from "../api/queries";
import { ActionButton } from "./actions";
import { Field, TextInput } from "./fields";
import { count, decimals, plural } from "./figures";
import { Faults } from "./notices";
import { KIND } from "./variables";
import { useWaited } from "./waited";

export type Trial = Schema["Trial"];
type OldNew = Schema["OldNew"];

interface Proposal {
  step: Step | null;
  /** The entry it would stand in place of; left out, it comes last. */
  insteadOf?: number;
  scales?: Record<string, Schema["Scale"]>;
}

/** What a step would do, asked for once it has been left alone for a moment; `undefined` until then. */
export function useTrial({ step, insteadOf, scales }: Proposal): { trial?: Trial; error?: Error } {
  const study = useStudy();
  const asked = JSON.stringify({ step, instead_of: insteadOf ?? null, scales: scales ?? {} });
  const settled = useWaited(asked, 250);
  const { data, error } = useQuery({
    queryKey: ["trial", study.id, study.edition, settled],
    enabled: step != null && settled === asked,
    retry: false,
    placeholderData: (before) => before,
    queryFn: () =>
      got(
        api.POST("/api/v1/studies/{study_id}/try", {
          params: { path: { study_id: study.id } },
          body: JSON.parse(settled),
        }),
      ),
  });
  if (!step) return {};
  return { trial: data, error: error ?? undefined };
}

const MANY = 40;

/** Old × new: which answers became which. What changed stands out. */
function Turns({ crossed }: { crossed: OldNew }) {
  // Of a number with very many values only what changes is worth seeing.
  const own = crossed.old === crossed.new || crossed.turns.length > MANY;
  const turns = own ? crossed.turns.filter((t) => t.old !== t.new) : crossed.turns;
  const same = own ? crossed.turns.filter((t) => t.old === t.new) : [];
  const top = Math.max(...turns.map((t) => t.cases), 1);
  const unchanged = same.reduce((sum, t) => sum + t.cases, 0);
  return (
    <table className="my-2 text-sm">
      <caption className="pb-0.5 text-left text-soft text-sm">
        {crossed.old === crossed.new
          ? `${crossed.old}, before and after`
          : `${crossed.old}, and the new ${crossed.new}`}
      </caption>
      <thead>
        <tr className="border-rule border-y text-left font-serif">
          <th className="py-0.5 pr-6 font-semibold">{crossed.old === crossed.new ? "Before" : crossed.old}</th>
          <th className="pr-6 font-semibold">{crossed.old === crossed.new ? "After" : crossed.new}</th>
          <th className="pr-4 text-right font-semibold">Cases</th>
          <td />
        </tr>
      </thead>
      <tbody className="figures">
        {turns.map((turn) => (
          <tr
            key={`${turn.old}→${turn.new}`}
            className={turn.new === "blank" && turn.old !== "blank" ? "text-heed" : ""}
          >
            <td className="max-w-72 truncate whitespace-pre py-px pr-6">{turn.old}</td>
            <td className="max-w-72 truncate whitespace-pre pr-6">{turn.new}</td>
            <td className="pr-4 text-right">{count(turn.cases)}</td>
            <td className="w-28">
              <span
                className="block h-2 bg-act opacity-60"
                style={{ width: `${(100 * turn.cases) / top}%` }}
                aria-hidden
              />
            </td>
          </tr>
        ))}
        {unchanged > 0 && (
          <tr className="text-soft">
            <td className="pr-6" colSpan={2}>
              unchanged
            </td>
            <td className="pr-4 text-right">{count(unchanged)}</td>
            <td />
          </tr>
        )}
        {crossed.more > 0 && (
          <tr className="text-soft">
            <td colSpan={4}>and {plural(crossed.more, "other pair")}</td>
          </tr>
        )}
      </tbody>
    </table>
  );
}

function Made({ view }: { view: Schema["VariableView"] }) {
  const number = view.number;
  return (
    <p className="text-sm">
      <span className="font-semibold">{view.variable.name}</span>, {KIND[view.variable.kind]}: {count(view.answered)}{" "}
      answered, {count(view.blank)} blank
      {number && `; from ${decimals(number.low, 2)} to ${decimals(number.high, 2)}, mean ${decimals(number.mean, 2)}`}
    </p>
  );
}

/** What a step does: its sentence, its effect, old × new. */
export function TrialView({ trial, bare }: { trial: Trial; bare?: boolean }) {
  const gone = trial.cases_before - trial.cases_after;
  const lost = Object.entries(trial.unplaced);
  const said = [
    gone > 0 && `${plural(gone, "case")} of ${count(trial.cases_before)} set aside`,
    trial.cells_changed > 0 && `${plural(trial.cells_changed, "cell")} changed`,
  ].filter(Boolean);
  return (
    <div>
      {trial.faults.length > 0 ? (
        <Faults faults={trial.faults} />
      ) : (
        <>
          {!bare && <p className="font-serif">{trial.sentence}.</p>}
          <p className="text-sm text-soft">{said.join("; ") || "No case and no cell changes."}</p>
        </>
      )}
      {lost.map(([name, words]) => (
        <p key={name} className="text-heed text-sm">
          ▲ Unrecognised in {name}:{" "}
          {Object.entries(words)
            .slice(0, 6)
            .map(([word, n]) => `“${word}” (${count(n)})`)
            .join(", ")}
          {Object.keys(words).length > 6 && ` and ${Object.keys(words).length - 6} more`}
        </p>
      ))}
      {trial.stops && <Faults faults={[trial.stops]} />}
      {trial.made.slice(0, 6).map((view) => (
        <Made key={view.variable.name} view={view} />
      ))}
      <div className="flex flex-wrap gap-x-10">
        {trial.differences.slice(0, 6).map((crossed) => (
          <Turns key={`${crossed.old}→${crossed.new}`} crossed={crossed} />
        ))}
      </div>
      {trial.differences.length > 6 && (
        <p className="text-soft text-sm">and old × new of {plural(trial.differences.length - 6, "other pair")}</p>
      )}
    </div>
  );
}

/** A step that is seen before it is taken: what it would do, why, and the button that takes it. */
export function TakeStep({
  id,
  label,
  icon = Check,
  step,
  scales,
  disabled,
  done,
}: {
  id: string;
  label: string;
  icon?: ComponentType<{ size?: number }>;
  step: Step | null;
  scales?: Record<string, Schema["Scale"]>;
  disabled?: boolean;
  done: () => void;
}) {
  const { change } = useChange();
  const [why, setWhy] = useState("");
  const { trial, error } = useTrial({ step, scales });
  const take = () => {
    if (!step) return;
    const entry = { ...step, why: why.trim() || step.why || null };
    change
      .mutateAsync(({ codebook, ledger }) => ({
        ...(scales ? { codebook: { ...codebook, scales: { ...codebook?.scales, ...scales } } } : {}),
        ledger: [...(ledger ?? []), entry],
      }))
      .then(done, () => {});
  };
  return (
    <section aria-label="Preview" className="mt-3 border-hair border-t pt-2">
      {error instanceof Refusal && <Faults faults={error.faults} />}
      {trial ? <TrialView trial={trial} /> : step && !error && <p className="text-soft text-sm">Calculating …</p>}
      <div className="flex max-w-xl items-end gap-3">
        <div className="grow">
          <Field label="Reason (optional)">
            {(p) => <TextInput {...p} value={why} onChange={(e) => setWhy(e.target.value)} />}
          </Field>
        </div>
        <ActionButton
          id={id}
          label={label}
          icon={icon}
          look="strong"
          className="mb-2 shrink-0"
          disabled={disabled || !step || change.isPending || Boolean(trial?.faults.length) || Boolean(error)}
          run={take}
        />
      </div>
    </section>
  );
}
