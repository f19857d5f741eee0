import type { Schema } from "../../../api/client";
import { Choice, Field, Tick } from "../../../parts/fields";
import { percent, plural } from "../../../parts/figures";
import { FilterField } from "../../../parts/filter";
import { FindMany } from "../../../parts/find-many";
import { chosenOf, entriesOf } from "../many-tables";
import { type Model, toggled, withTerms } from "./plan";

/** The outcome's answers as a bar: those that count are dark, a press turns one. */
function Event({
  view,
  event,
  turn,
}: {
  view: Schema["VariableView"];
  event: readonly number[];
  turn: (code: number) => void;
}) {
  const answers = view.answers.filter((a) => a.code != null && a.sort === "answer");
  const whole = answers.reduce((sum, a) => sum + a.cases, 0) || 1;
  const share = answers.filter((a) => event.includes(a.code as number)).reduce((sum, a) => sum + a.cases, 0) / whole;
  return (
    <fieldset className="col-span-full">
      <legend className="font-semibold text-sm">Event</legend>
      <div className="flex h-9 w-full max-w-3xl gap-px">
        {answers.map((a) => {
          const on = event.includes(a.code as number);
          return (
            <button
              data-passing
              key={a.code}
              type="button"
              aria-pressed={on}
              title={`${a.label}: ${a.cases} cases`}
              onClick={() => turn(a.code as number)}
              style={{ flexGrow: Math.max(a.cases / whole, 0.08) }}
              className={`min-w-0 basis-0 truncate px-2 text-left text-sm ${on ? "bg-act text-paper" : "bg-wash text-ink"}`}
            >
              {on ? "✓ " : ""}
              {a.label}
            </button>
          );
        })}
      </div>
      <p className="text-soft text-xs">
        {event.length
          ? `${percent(share)} % of those who answered, unweighted`
          : "Press the answers that count as the event."}
      </p>
    </fieldset>
  );
}

/** What a model asks for. */
export function ModelForm({
  model,
  codebook,
  save,
}: {
  model: Model;
  codebook: Schema["CodebookView"];
  save: (to: Model) => void;
}) {
  const usable = codebook.variables.filter((v) => ["coded", "number"].includes(v.variable.kind));
  const view = usable.find((v) => v.variable.name === model.outcome);
  const terms = (model.terms ?? []).map((t) => (t.length === 1 ? (t[0] as string) : t));
  const names = [...new Set((model.terms ?? []).flat())];
  const coded = names.filter((n) => usable.find((v) => v.variable.name === n)?.variable.kind === "coded");
  return (
    <section aria-label="What the model asks for" className="grid grid-cols-[1fr_1fr_14rem] gap-x-6 [&>*]:my-1">
      <div className="grid grid-cols-2 gap-3 [&_select]:!w-full">
        <Field label="Outcome">
          {(p) => (
            <Choice
              {...p}
              value={model.outcome}
              options={[["", "choose …"], ...usable.map((v) => [v.variable.name, v.variable.name] as const)]}
              onChange={(e) => save({ ...model, outcome: e.target.value, event: [] })}
            />
          )}
        </Field>
        <Field label="As">
          {(p) => (
            <Choice
              {...p}
              className="!w-48"
              value={model.kind}
              options={[
                ["linear", "linear (continuous)"],
                ["logistic", "yes or no: logistic"],
              ]}
              onChange={(e) => save({ ...model, kind: e.target.value as Model["kind"], event: [] })}
            />
          )}
        </Field>
      </div>
      <FindMany
        id="terms"
        label="Terms"
        hint="Shift and Enter makes an interaction with the one before."
        chosen={chosenOf(terms)}
        options={usable
          .filter((v) => v.variable.name !== model.outcome)
          .map((v) => ({ name: v.variable.name, title: v.variable.label }))}
        nest
        change={(to) =>
          save(
            withTerms(
              model,
              entriesOf(to).map((t) => (typeof t === "string" ? [t] : [...t])),
            ),
          )
        }
      />
      <FilterField label="Filter" value={model.where} take={(where) => save({ ...model, where })} />
      {model.kind === "logistic" && view?.variable.kind === "coded" && (
        <Event
          view={view}
          event={model.event ?? []}
          turn={(code) => save({ ...model, event: toggled(model.event ?? [], code) })}
        />
      )}
      {coded.length > 0 && (
        <details className="col-span-full text-sm">
          <summary className="cursor-pointer">
            <span className="font-semibold">Coded terms</span>{" "}
            <span className="text-soft">
              {plural(coded.length, "variable")}; average predictions of{" "}
              {(model.predictions ?? []).join(", ") || "none"}
              {(model.as_number ?? []).length > 0 && `; by code: ${(model.as_number ?? []).join(", ")}`}
            </span>
          </summary>
          {coded.map((name) => (
            <p key={name} className="flex gap-6">
              <span className="w-48 truncate font-semibold">{name}</span>
              <Tick
                label="average predictions"
                checked={(model.predictions ?? []).includes(name)}
                onChange={() => save({ ...model, predictions: toggled(model.predictions ?? [], name) })}
              />
              <Tick
                label="as a number, by its codes"
                checked={(model.as_number ?? []).includes(name)}
                onChange={() => save({ ...model, as_number: toggled(model.as_number ?? [], name) })}
              />
            </p>
          ))}
        </details>
      )}
    </section>
  );
}
