import { ArrowDown, ArrowUp, Check } from "@phosphor-icons/react";
import { useMemo, useState } from "react";
import type { Schema } from "../../api/client";
import { useChange, useStudy } from "../../api/queries";
import { ActionButton } from "../../parts/actions";
import { Choice, Field, TextInput, Tick } from "../../parts/fields";
import { count, plural } from "../../parts/figures";
import { alike, folded, texts, type VariableView, type Wording, wordings } from "./matching";

type Means = Wording["means"];

const spelled = (means: Means) => (typeof means === "string" ? means : `=${means.same}`);
const meant = (value: string): Means =>
  value.startsWith("=") ? { same: value.slice(1) } : (value as "own" | "missing" | "flag");

/** The scale that own answers and missing ones make, codes by their order. */
function made(own: string[], missing: string[], ordered: boolean): Schema["Scale"] {
  return {
    codes: own.map((label, i) => ({ code: i + 1, label })),
    ordered,
    missing: missing.map((label, i) => ({ code: 99 - i, label })),
  };
}

/** Wordings that are no label of the scale but equal one. */
function others(list: Wording[], scale: Schema["Scale"]): Record<string, number> {
  const codes = new Map([...scale.codes, ...(scale.missing ?? [])].map((c) => [c.label, c.code]));
  const entries = list.flatMap((w): [string, number][] => {
    const code = typeof w.means === "object" ? codes.get(w.means.same) : undefined;
    return code == null ? [] : [[w.text, code]];
  });
  return Object.fromEntries(entries);
}

/** An answer scale made from the words people used, or one there is already, laid on several questions at once. */
export function ScaleForm({
  view,
  codebook,
  done,
}: {
  view: VariableView;
  codebook: Schema["CodebookView"];
  done: () => void;
}) {
  const study = useStudy();
  const { change } = useChange();
  const kin = useMemo(() => alike(view, codebook.variables), [view, codebook.variables]);
  const [existing, setExisting] = useState(view.variable.scale ?? "");
  const [name, setName] = useState(view.variable.name.replace(/^_+/, "").slice(0, 20));
  const [chosen, setChosen] = useState(() => new Set([view, ...kin].map((v) => v.variable.name)));
  const [ordered, setOrdered] = useState(false);
  const [means, setMeans] = useState<Record<string, Means>>({});
  const [order, setOrder] = useState<string[]>([]);

  const scaleThere = existing ? codebook.scales[existing] : undefined;
  const fixed = scaleThere ? [...scaleThere.codes, ...(scaleThere.missing ?? [])].map((c) => c.label) : [];
  const views = codebook.variables.filter((v) => chosen.has(v.variable.name));
  const list = wordings(views, fixed).map((w) => (means[w.text] ? { ...w, means: means[w.text] as Means } : w));
  const ownNow = list.filter((w) => w.means === "own").map((w) => w.text);
  const own = [...order.filter((t) => ownNow.includes(t)), ...ownNow.filter((t) => !order.includes(t))];
  const missing = list.filter((w) => w.means === "missing").map((w) => w.text);
  const scale = scaleThere ?? made(own, missing, ordered);
  const labels = scaleThere ? fixed : [...own, ...missing];
  const flagged = list.filter(
    (w) => w.means === "flag" || (typeof w.means === "object" && !labels.includes(w.means.same)),
  );
  const nameTaken = !existing && name in codebook.scales;
  const targets = views.map((v) => v.variable.name);

  const shift = (text: string, by: number) => {
    const at = own.indexOf(text);
    const to = [...own];
    to.splice(at, 1);
    to.splice(at + by, 0, text);
    setOrder(to);
  };

  const apply = () => {
    const scaleName = existing || name;
    const step = {
      do: "code" as const,
      variables: targets,
      scale: scaleName,
      answers: others(list, scale),
      otherwise: "flag" as const,
    };
    const book = study.document.codebook ?? {};
    const parts = existing ? {} : { codebook: { ...book, scales: { ...book.scales, [scaleName]: scale } } };
    change.mutateAsync({ ...parts, ledger: [...(study.document.ledger ?? []), step] }).then(done, () => {});
  };

  return (
    <div>
      <div className="grid grid-cols-2 gap-4">
        <Field label="Scale">
          {(p) => (
            <Choice
              {...p}
              value={existing}
              onChange={(e) => setExisting(e.target.value)}
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
          <legend className="font-semibold text-sm">Lay it on these questions, answered with the same words</legend>
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
              </li>
            ))}
          </ol>
          <Tick
            label="Ordered: the answers have a direction"
            checked={ordered}
            onChange={(e) => setOrdered(e.target.checked)}
          />
        </>
      )}
      <p className="mt-3 font-semibold text-sm">What people wrote, and what it means</p>
      <table className="w-full text-sm">
        <tbody>
          {list.map((w) => (
            <tr key={w.text} className="border-hair border-b">
              <td className="max-w-64 truncate whitespace-pre py-0.5 pr-2 font-serif">{w.text}</td>
              <td className="figures w-14 pr-3 text-right text-soft">{count(w.cases)}</td>
              <td className="w-72 py-0.5">
                <Choice
                  aria-label={`What “${w.text}” means`}
                  value={spelled(w.means)}
                  onChange={(e) => setMeans({ ...means, [w.text]: meant(e.target.value) })}
                  options={[
                    ...(existing
                      ? []
                      : ([
                          ["own", "an answer of the scale"],
                          ["missing", "means no answer"],
                        ] as const)),
                    ["flag", "leave it as a finding"],
                    ...labels.filter((l) => l !== w.text).map((l) => [`=${l}`, `same as: ${l}`] as const),
                  ]}
                />
              </td>
              <td className="pl-3 text-soft text-xs">
                {folded(spelled(w.means)) !== "own" && !means[w.text] && w.why}
              </td>
            </tr>
          ))}
        </tbody>
      </table>
      {!list.length && <p className="text-soft text-sm">Every answer has its code already.</p>}
      <p className="my-2 text-sm">
        {plural(targets.length, "question")}, {plural(scale.codes.length, "answer")}
        {flagged.length > 0 &&
          `; ${plural(
            flagged.reduce((s, w) => s + w.cases, 0),
            "entry stays a finding",
            "entries stay findings",
          )}`}
      </p>
      <ActionButton
        id="apply-scale"
        label="Code these answers"
        icon={Check}
        look="strong"
        disabled={
          change.isPending ||
          !targets.length ||
          !scale.codes.length ||
          nameTaken ||
          (!existing && !name.trim()) ||
          !views.some((v) => texts(v).length)
        }
        run={apply}
      />
    </div>
  );
}
