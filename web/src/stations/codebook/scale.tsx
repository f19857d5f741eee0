import { ArrowDown, ArrowUp } from "@phosphor-icons/react";
import { useMemo, useState } from "react";
import type { Schema, Step } from "../../api/client";
import { ActionButton } from "../../parts/actions";
import { Choice, Field, TextInput, Tick } from "../../parts/fields";
import { count, plural } from "../../parts/figures";
import { TakeStep } from "../../parts/trial";
import { alike, frequent, type VariableView } from "./matching";
import { Direction } from "./scales/direction";
import { unfitting, useFit } from "./scales/fit";
import { type Meanings, MeaningsTable } from "./scales/meanings";
import { layable, Verdicts } from "./scales/verdicts";

type Scale = Schema["Scale"];

/** The scale that own answers and missing ones make, codes by their order. */
function made(own: readonly string[], missing: readonly string[], ordered: boolean, midpoint: string): Scale {
  const codes = own.map((label, i) => ({ code: i + 1, label }));
  return {
    codes,
    ordered,
    missing: missing.map((label, i) => ({ code: 99 - i, label })),
    midpoint: (ordered && codes.find((c) => c.label === midpoint)?.code) || null,
  };
}

/** An answer scale made from the words people used, or one there is already, laid on several questions at once. */
export function ScaleForm({
  views,
  codebook,
  done,
}: {
  /** The questions it is for; the first says which answers a new scale is made from. */
  views: readonly VariableView[];
  codebook: Schema["CodebookView"];
  done: () => void;
}) {
  const view = views[0] as VariableView;
  const kin = useMemo(
    () => (views.length > 1 ? views.slice(1) : alike(view, codebook.variables)),
    [views, view, codebook.variables],
  );
  const [existing, setExisting] = useState(view.variable.scale ?? "");
  const [name, setName] = useState(view.variable.name.replace(/^_+/, "").slice(0, 20));
  const [chosen, setChosen] = useState(() => new Set([view, ...kin].map((v) => v.variable.name)));
  const [ordered, setOrdered] = useState(false);
  const [midpoint, setMidpoint] = useState("");
  const [sorts, setSorts] = useState<Record<string, "own" | "missing" | "other">>({});
  const [order, setOrder] = useState<string[]>([]);
  const [meanings, setMeanings] = useState<Meanings>({});

  const all = codebook.variables.filter((v) => chosen.has(v.variable.name));
  const targets = all.map((v) => v.variable.name);
  const words = useMemo(() => frequent(all), [all]);
  const sortOf = (text: string) => sorts[text] ?? (words.own.includes(text) ? "own" : "other");
  const ownNow = words.all.filter((t) => sortOf(t) === "own");
  const own = [...order.filter((t) => ownNow.includes(t)), ...ownNow.filter((t) => !order.includes(t))];
  const missing = words.all.filter((t) => sortOf(t) === "missing");
  const there = existing ? codebook.scales[existing] : undefined;
  const scale = there ?? made(own, missing, ordered, midpoint);
  const codes = [...scale.codes, ...(scale.missing ?? [])];
  const fits = useFit(scale.codes.length ? scale : null, targets);
  const list = unfitting(fits);
  const laid = layable(fits);
  const known = new Set(codes.map((c) => c.code));
  const answers = Object.fromEntries(
    list.flatMap((w) => {
      const code = meanings[w.text];
      return code != null && known.has(code) ? [[w.text, code] as const] : [];
    }),
  );
  const left = list.filter((w) => answers[w.text] == null).reduce((sum, w) => sum + w.cases, 0);
  const nameTaken = !existing && name in codebook.scales;
  const scaleName = existing || name.trim();
  const step: Step | null =
    laid.length && scaleName && !nameTaken && scale.codes.length
      ? { do: "code", variables: laid, scale: scaleName, answers, otherwise: "flag" }
      : null;

  const shift = (text: string, by: number) => {
    const at = own.indexOf(text);
    const to = [...own];
    to.splice(at, 1);
    to.splice(at + by, 0, text);
    setOrder(to);
    // Codes go with the order, so what was said of a code goes with its label.
    const before = new Map(codes.map((c) => [c.code, c.label]));
    const after = new Map(to.map((label, i) => [label, i + 1]));
    setMeanings(
      Object.fromEntries(
        Object.entries(meanings).map(([wording, code]) => {
          const label = code == null ? undefined : before.get(code);
          return [wording, label != null && after.has(label) ? (after.get(label) ?? null) : code];
        }),
      ),
    );
  };

  return (
    <div>
      <div className="grid grid-cols-2 gap-4">
        <Field label="Scale">
          {(p) => (
            <Choice
              {...p}
              value={existing}
              onChange={(e) => {
                setExisting(e.target.value);
                setMeanings({});
              }}
              options={[
                ["", "a new one, from these answers"],
                ...Object.keys(codebook.scales).map((s) => [s, s] as const),
              ]}
            />
          )}
        </Field>
        {!existing && (
          <Field
            label="Name of the scale"
            wrong={nameTaken ? "There is a scale of this name; choose another." : undefined}
          >
            {(p) => <TextInput {...p} value={name} onChange={(e) => setName(e.target.value)} />}
          </Field>
        )}
      </div>
      {kin.length > 0 && (
        <fieldset className="my-2">
          <legend className="font-semibold text-sm">Lay it on these questions</legend>
          <div className="grid grid-cols-2">
            {[view, ...kin].map((v) => (
              <Tick
                key={v.variable.name}
                label={v.variable.name}
                checked={chosen.has(v.variable.name)}
                onChange={(e) => {
                  const to = new Set(chosen);
                  if (e.target.checked) to.add(v.variable.name);
                  else to.delete(v.variable.name);
                  setChosen(to);
                }}
              />
            ))}
          </div>
        </fieldset>
      )}
      {!existing && (
        <>
          <p className="mt-3 font-semibold text-sm">Answers of the scale, in order</p>
          <ol className="mb-2">
            {own.map((text, i) => (
              <li key={text} className="flex items-center gap-2">
                <span className="figures w-6 text-right text-soft">{i + 1}</span>
                <span className="w-72 truncate font-serif">{text}</span>
                <ActionButton
                  id={`up-${i}`}
                  label={`Move up: ${text}`}
                  icon={ArrowUp}
                  bare
                  look="quiet"
                  disabled={i === 0}
                  run={() => shift(text, -1)}
                />
                <ActionButton
                  id={`down-${i}`}
                  label={`Move down: ${text}`}
                  icon={ArrowDown}
                  bare
                  look="quiet"
                  disabled={i === own.length - 1}
                  run={() => shift(text, 1)}
                />
                <Choice
                  aria-label={`What “${text}” is`}
                  className="!w-44"
                  value="own"
                  onChange={(e) => setSorts({ ...sorts, [text]: e.target.value as "missing" })}
                  options={[
                    ["own", "an answer"],
                    ["missing", "means no answer"],
                    ["other", "no answer of its own"],
                  ]}
                />
              </li>
            ))}
            {missing.map((text, i) => (
              <li key={text} className="flex items-center gap-2 text-soft">
                <span className="figures w-6 text-right">{99 - i}</span>
                <span className="w-72 truncate font-serif">{text}, means no answer</span>
                <ActionButton
                  id={`own-again-${i}`}
                  label={`An answer after all: ${text}`}
                  look="quiet"
                  run={() => setSorts({ ...sorts, [text]: "own" })}
                />
              </li>
            ))}
          </ol>
          <Direction
            ordered={ordered}
            setOrdered={setOrdered}
            midpoint={midpoint}
            setMidpoint={setMidpoint}
            answers={own.map((t) => [t, t])}
          />
        </>
      )}
      <Verdicts fits={fits} />
      <p className="mt-3 font-semibold text-sm">What people wrote, and what it means</p>
      <MeaningsTable
        list={list}
        codes={codes}
        meanings={meanings}
        change={setMeanings}
        extra={
          existing
            ? undefined
            : {
                options: [
                  ["own", "an answer of the scale"],
                  ["missing", "means no answer"],
                ],
                choose: (text, value) => setSorts({ ...sorts, [text]: value as "own" | "missing" }),
              }
        }
      />
      <p className="my-2 text-sm">
        {plural(laid.length, "question")}, {plural(scale.codes.length, "answer")}
        {left > 0 && `; ${plural(left, "entry stays a finding", "entries stay findings")}`}
        {laid.length < targets.length && fits.length > 0 && `; ${count(targets.length - laid.length)} left as they are`}
      </p>
      <TakeStep
        id="apply-scale"
        label="Code these answers"
        step={step}
        scales={existing || !step ? undefined : { [scaleName]: scale }}
        done={done}
      />
    </div>
  );
}
