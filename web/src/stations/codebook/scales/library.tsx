import { Check, Copy, Plus } from "@phosphor-icons/react";
import { Link } from "@tanstack/react-router";
import { useState } from "react";
import type { Schema } from "../../../api/client";
import { useChange, useStudy } from "../../../api/queries";
import { ActionButton } from "../../../parts/actions";
import { Field, TextArea, TextInput, Tick } from "../../../parts/fields";
import { count, plural } from "../../../parts/figures";
import { Heading, Sub } from "../../../parts/panes";
import { PickMany } from "../../../parts/pick-many";
import { ScaleForm } from "../scale";
import { Direction } from "./direction";
import { codesFrom, linesOf, relabelled, stillPlacing, wrongWith } from "./lines";

type Scale = Schema["Scale"];
type Codebook = Schema["CodebookView"];

const codesOf = (scale: Scale) => [...scale.codes, ...(scale.missing ?? [])];

/** A scale as lines that can be typed or pasted; a new one, a copy, or one there is. */
function ScaleEditor({
  name: given,
  scale,
  used = false,
  taken,
  save,
}: {
  name: string | null;
  scale: Scale | null;
  /** Whether questions use it: then what a code says is not changed without asking. */
  used?: boolean;
  taken: readonly string[];
  save: (name: string, scale: Scale) => void;
}) {
  const [name, setName] = useState(given ?? "");
  const [lines, setLines] = useState(scale ? linesOf(scale.codes) : "");
  const [missing, setMissing] = useState(scale ? linesOf(scale.missing ?? []) : "");
  const [ordered, setOrdered] = useState(scale?.ordered ?? false);
  const [midpoint, setMidpoint] = useState(scale?.midpoint == null ? "" : String(scale.midpoint));
  const [meant, setMeant] = useState(false);
  const codes = codesFrom(lines);
  const none = codesFrom(missing, 99, -1);
  const wrong = lines.trim() ? wrongWith(codes, none) : undefined;
  const changes = given != null && scale && used ? relabelled(codesOf(scale), [...codes, ...none]) : [];
  const nameWrong = taken.includes(name.trim()) ? "There is a scale of this name; choose another." : undefined;
  return (
    <div className="max-w-2xl">
      {given == null && (
        <Field label="Name of the scale" wrong={nameWrong}>
          {(p) => <TextInput {...p} className="!w-64" value={name} onChange={(e) => setName(e.target.value)} />}
        </Field>
      )}
      <div className="grid grid-cols-2 gap-4">
        <Field
          label="Answers, one per line, in order"
          hint="“1 Strongly disagree”, or labels alone, which are numbered."
          wrong={wrong}
        >
          {(p) => (
            <TextArea {...p} rows={6} value={lines} spellCheck={false} onChange={(e) => setLines(e.target.value)} />
          )}
        </Field>
        <Field label="Codes that mean no answer, one per line" hint="“99 Refused”; the label is the reason.">
          {(p) => (
            <TextArea {...p} rows={6} value={missing} spellCheck={false} onChange={(e) => setMissing(e.target.value)} />
          )}
        </Field>
      </div>
      <Direction
        ordered={ordered}
        setOrdered={setOrdered}
        midpoint={midpoint}
        setMidpoint={setMidpoint}
        answers={codes.map((c) => [String(c.code), c.label])}
      />
      <p className="my-1 text-soft text-sm" role="status">
        Reads as {plural(codes.length, "answer")}
        {codes.length > 0 && `: ${codes.map((c) => `${c.code} ${c.label}`).join(" · ")}`}
        {none.length > 0 && `; no answer: ${none.map((c) => `${c.code} ${c.label}`).join(" · ")}`}
      </p>
      {changes.length > 0 && (
        <div className="my-2 border-heed border-l-4 bg-heedwash px-3 py-2 text-sm">
          {changes.map((c) => (
            <p key={c.code}>
              Code {c.code} says “{c.from}” now and would say “{c.to}”.
            </p>
          ))}
          <Tick
            label="It is the same answer in other words"
            checked={meant}
            onChange={(e) => setMeant(e.target.checked)}
          />
        </div>
      )}
      <ActionButton
        id="save-scale"
        label="Save scale"
        icon={Check}
        look="strong"
        disabled={
          !codes.length || Boolean(wrong) || Boolean(nameWrong) || !name.trim() || (changes.length > 0 && !meant)
        }
        run={() => {
          const mid = codes.some((c) => String(c.code) === midpoint) && ordered ? Number(midpoint) : null;
          save(name.trim(), { codes, ordered, missing: none, ...(mid == null ? {} : { midpoint: mid }) });
        }}
      />
    </div>
  );
}

/** Lays a scale of the library on any selection of questions. */
function LayOn({ name, codebook, done }: { name: string; codebook: Codebook; done: () => void }) {
  const [chosen, setChosen] = useState<string[]>([]);
  const options = codebook.variables
    .filter((v) => ["text", "coded", "number"].includes(v.variable.kind) && v.variable.scale !== name)
    .map((v) => v.variable.name);
  const views = chosen.flatMap((n) => codebook.variables.filter((v) => v.variable.name === n));
  const laid = views.map((v) => ({ ...v, variable: { ...v.variable, scale: name } }));
  return (
    <>
      <PickMany id="lay-on" label="Apply to" chosen={chosen} options={options} change={setChosen} />
      {laid.length > 0 && <ScaleForm key={chosen.join()} views={laid} codebook={codebook} done={done} />}
    </>
  );
}

/** The answer scales of the study: what they are, where they are used and how often. */
export function ScaleLibrary({ codebook }: { codebook: Codebook }) {
  const study = useStudy();
  const { change } = useChange();
  const [open, setOpen] = useState<{ name: string | null; from: Scale | null; lay?: boolean } | null>(null);
  const book = study.document.codebook ?? {};
  const own = book.scales ?? {};
  const save = (name: string, scale: Scale) => {
    const before = own[name];
    const changes = before ? relabelled(codesOf(before), codesOf(scale)) : [];
    const ledger = changes.length ? { ledger: stillPlacing(study.document.ledger ?? [], name, changes) } : {};
    change.mutateAsync({ codebook: { ...book, scales: { ...own, [name]: scale } }, ...ledger }).then(
      () => setOpen(null),
      () => {},
    );
  };
  const taken = Object.keys(codebook.scales);
  return (
    <article className="max-w-3xl">
      <Heading over="Made once, applied to every question that was answered with them">Answer scales</Heading>
      <ActionButton
        id="new-scale"
        label="New scale"
        icon={Plus}
        pressed={open?.name === null}
        run={() => setOpen(open?.name === null ? null : { name: null, from: null })}
      />
      {open?.name === null && (
        <ScaleEditor
          key={open.from ? linesOf(open.from.codes) : "new"}
          name={null}
          scale={open.from}
          taken={taken}
          save={save}
        />
      )}
      {Object.entries(codebook.scales).map(([name, scale]) => {
        const uses = codebook.used_by[name] ?? [];
        const cells = uses.reduce((sum, u) => sum + u.cells, 0);
        return (
          <section key={name} aria-label={`Scale ${name}`}>
            <Sub>{name}</Sub>
            <p className="figures text-sm">
              {scale.codes.map((c, i) => (
                <span key={c.code}>
                  {i > 0 && <span className="text-rule"> · </span>}
                  <span className="text-soft">{c.code}</span>{" "}
                  <span className={`font-serif ${scale.midpoint === c.code ? "underline decoration-dotted" : ""}`}>
                    {c.label}
                  </span>
                </span>
              ))}
            </p>
            <p className="text-soft text-sm">
              {scale.ordered ? "Ordered" : "Not ordered"}
              {scale.midpoint != null && `, ${scale.midpoint} in the middle`}
              {(scale.missing ?? []).length > 0 &&
                `; no answer: ${(scale.missing ?? []).map((c) => `${c.code} ${c.label}`).join(", ")}`}
              .{" "}
              {uses.length
                ? `Used by ${plural(uses.length, "question")}, in ${plural(cells, "cell")}: `
                : "Used by no question."}
              {uses.slice(0, 12).map((u, i) => (
                <span key={u.variable}>
                  {i > 0 && ", "}
                  <Link
                    to="/study/$id/codebook/{-$item}"
                    params={{ id: study.id, item: u.variable }}
                    title={`${count(u.cells)} cells`}
                    className="text-ink underline decoration-hair underline-offset-2"
                  >
                    {u.variable}
                  </Link>
                </span>
              ))}
              {uses.length > 12 && ` and ${uses.length - 12} more`}
            </p>
            <div className="flex gap-1">
              {name in own ? (
                <ActionButton
                  id={`edit-scale-${name}`}
                  label={`Change the scale ${name}`}
                  look="quiet"
                  pressed={open?.name === name && !open.lay}
                  run={() => setOpen(open?.name === name && !open.lay ? null : { name, from: scale })}
                >
                  Change …
                </ActionButton>
              ) : (
                <span className="px-2 py-1 text-soft text-sm">Made by the ledger</span>
              )}
              <ActionButton
                id={`copy-scale-${name}`}
                label={`Copy the scale ${name} and vary it`}
                icon={Copy}
                look="quiet"
                run={() => setOpen({ name: null, from: scale })}
              >
                Copy and edit …
              </ActionButton>
              <ActionButton
                id={`lay-scale-${name}`}
                label={`Apply the scale ${name} to questions`}
                look="quiet"
                pressed={open?.name === name && open.lay}
                run={() => setOpen(open?.name === name && open.lay ? null : { name, from: scale, lay: true })}
              >
                Apply to …
              </ActionButton>
            </div>
            {open?.name === name && !open.lay && (
              <ScaleEditor name={name} scale={scale} used={uses.length > 0} taken={[]} save={save} />
            )}
            {open?.name === name && open.lay && <LayOn name={name} codebook={codebook} done={() => setOpen(null)} />}
          </section>
        );
      })}
    </article>
  );
}
