import { ArrowDown, ArrowUp } from "@phosphor-icons/react";
import { useQueries, useQuery } from "@tanstack/react-query";
import { useEffect, useMemo, useState } from "react";
import { api, got, type Schema, type Step } from "../../api/client";
import { useStudy } from "../../api/queries";
import { ActionButton } from "../../parts/actions";
import { Choice, Field, TextInput, Tick } from "../../parts/fields";
import { count, plural } from "../../parts/figures";
import { moved } from "../../parts/find-many";
import { Sortable, SortableRow } from "../../parts/sortable";
import { Ticks } from "../../parts/ticks";
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

/** So many answers are listed at first; the others are found by typing. */
const MOST = 100;

/** Answers as a scale would show them: by what they say. */
function useOrder(labels: readonly string[]): Schema["Ordered"] | undefined {
  const study = useStudy();
  const { data } = useQuery({
    queryKey: ["order", ...labels],
    enabled: labels.length > 1 && labels.length <= 400,
    staleTime: Number.POSITIVE_INFINITY,
    placeholderData: (before) => before,
    queryFn: () =>
      got(
        api.POST("/api/v1/studies/{study_id}/order", {
          params: { path: { study_id: study.id } },
          body: { labels: [...labels] },
        }),
      ),
  });
  return data;
}

/** Variables with all of their answers: of those with many the codebook holds the most frequent only. */
function useWhole(views: readonly VariableView[]): VariableView[] {
  const study = useStudy();
  const long = views.filter((v) => v.distinct > v.answers.length && v.variable.kind !== "number");
  const whole = useQueries({
    queries: long.map((v) => ({
      queryKey: ["below", study.id, study.edition, "variable", v.variable.name],
      queryFn: () =>
        got(
          api.GET("/api/v1/studies/{study_id}/codebook/{name}", {
            params: { path: { study_id: study.id, name: v.variable.name } },
          }),
        ),
    })),
  });
  return views.map((v) => whole[long.indexOf(v)]?.data ?? v);
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
  const [said, setOrdered] = useState<boolean | null>(null);
  const [midpoint, setMidpoint] = useState("");
  const [sorts, setSorts] = useState<Record<string, "own" | "missing" | "other">>({});
  const [order, setOrder] = useState<string[]>([]);
  // What wordings mean, by label: codes go with the order of the answers.
  const [meant, setMeant] = useState<Record<string, string | null>>({});

  const listed = codebook.variables.filter((v) => chosen.has(v.variable.name));
  const all = useWhole(listed);
  const targets = all.map((v) => v.variable.name);
  const words = useMemo(() => frequent(all), [all]);
  const sortOf = (text: string) => sorts[text] ?? (words.own.includes(text) ? "own" : "other");
  const ownNow = words.all.filter((t) => sortOf(t) === "own");
  const known = useOrder(existing ? [] : ownNow);
  const begun = order.length ? order : (known?.labels ?? []);
  const own = [...begun.filter((t) => ownNow.includes(t)), ...ownNow.filter((t) => !begun.includes(t))];
  const ordered = said ?? known?.ordered ?? false;
  const missing = words.all.filter((t) => sortOf(t) === "missing");
  const there = existing ? codebook.scales[existing] : undefined;
  const scale = there ?? made(own, missing, ordered, midpoint);
  const codes = [...scale.codes, ...(scale.missing ?? [])];
  const { fits, current } = useFit(scale.codes.length ? scale : null, targets);
  const list = unfitting(fits);
  // Rare answers that are like no other are answers of their own; those that look misspelt are asked about.
  const unlike =
    existing || !current ? [] : list.filter((w) => w.proposal == null && sorts[w.text] == null).map((w) => w.text);
  const judged = unlike.join("\n");
  useEffect(() => {
    if (judged)
      setSorts((before) => ({ ...Object.fromEntries(judged.split("\n").map((t) => [t, "own" as const])), ...before }));
  }, [judged]);
  const [wanted, setWanted] = useState("");
  const holds = (text: string) => text.toLowerCase().includes(wanted.trim().toLowerCase());
  const laid = layable(fits);
  const at = new Map(codes.map((c) => [c.label, c.code]));
  const meanings: Meanings = Object.fromEntries(
    Object.entries(meant).map(([word, label]) => [word, label == null ? null : (at.get(label) ?? null)]),
  );
  const answers = Object.fromEntries(
    list.flatMap((w) => {
      const code = meanings[w.text];
      return code != null ? [[w.text, code] as const] : [];
    }),
  );
  const left = list.filter((w) => answers[w.text] == null).reduce((sum, w) => sum + w.cases, 0);
  const nameTaken = !existing && name in codebook.scales;
  const scaleName = existing || name.trim();
  const step: Step | null =
    current && !judged && laid.length && scaleName && !nameTaken && scale.codes.length
      ? { do: "code", variables: laid, scale: scaleName, answers, otherwise: "flag" }
      : null;

  const shift = (text: string, by: number) => setOrder(moved(own, own.indexOf(text), by));
  const say = (text: string, to: string) => {
    setSorts({ ...sorts, [text]: to.startsWith("=") ? "other" : (to as "own" | "missing" | "other") });
    if (to.startsWith("=")) setMeant({ ...meant, [text]: to.slice(1) });
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
                setMeant({});
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
          <legend className="font-semibold text-sm">Apply to these questions</legend>
          <Ticks className="grid grid-cols-2">
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
          </Ticks>
        </fieldset>
      )}
      {!existing && (
        <>
          <p className="mt-3 font-semibold text-sm">Answers of the scale, in order</p>
          {own.length + list.length > MOST && (
            <p className="my-1 flex items-center gap-2 text-sm">
              <TextInput
                type="search"
                aria-label="Find an answer"
                placeholder={`Find one of ${count(own.length + list.length)} answers`}
                className="!w-72"
                value={wanted}
                onChange={(e) => setWanted(e.target.value)}
              />
              {!wanted && own.length > MOST && <span className="text-soft">The first {MOST} are shown.</span>}
            </p>
          )}
          <ol className="mb-2">
            <Sortable ids={own} move={(from, to) => setOrder(moved(own, from, to - from))}>
              {own.map((text, i) =>
                (i >= MOST && !wanted) || !holds(text) ? null : (
                  <SortableRow
                    key={text}
                    id={text}
                    label={text}
                    by={(places) => shift(text, places)}
                    className="flex items-center gap-2"
                  >
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
                      onChange={(e) => say(text, e.target.value)}
                      options={[
                        ["own", "an answer"],
                        ["missing", "means no answer"],
                        ["other", "not a separate answer"],
                        ...own
                          .filter((o) => o !== text)
                          .slice(0, 40)
                          .map((o) => [`=${o}`, `the same as ${o}`] as const),
                      ]}
                    />
                  </SortableRow>
                ),
              )}
            </Sortable>
            {missing.map((text, i) => (
              <li key={text} className="flex items-center gap-2 text-soft">
                <span className="figures w-6 text-right">{99 - i}</span>
                <span className="w-72 truncate font-serif">{text}, means no answer</span>
                <ActionButton
                  id={`own-again-${i}`}
                  label={`Restore as an answer: ${text}`}
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
      <p className="mt-3 font-semibold text-sm">Answers and codes</p>
      <MeaningsTable
        list={list.filter((w) => holds(w.text)).slice(0, MOST * 2)}
        codes={codes}
        waits={!current}
        meanings={meanings}
        change={(to) =>
          setMeant(
            Object.fromEntries(
              Object.entries(to).map(([word, code]) => [word, codes.find((c) => c.code === code)?.label ?? null]),
            ),
          )
        }
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
        {left > 0 && `; ${plural(left, "answer stays a finding", "answers stay findings")}`}
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
