import { Plus, X } from "@phosphor-icons/react";
import { useState } from "react";
import type { Schema } from "../../api/client";
import { statisticName, useVocabulary } from "../../api/vocabulary";
import { ActionButton } from "../../parts/actions";
import { Choice, TextInput, Tick } from "../../parts/fields";
import { decimals, plainly } from "../../parts/figures";
import { NumberField } from "../../parts/number-field";
import { Sub } from "../../parts/panes";
import type { Request } from "../../parts/table-plan";

type Result = Schema["TableResult"];

type Contrast = NonNullable<Request["contrasts"]>[number];
const SHARES = ["col_pct", "row_pct", "total_pct", "response_pct"];

/** The columns of a table that can be contrasted: everybody, and each of every banner entry. */
export function columnsOf(result: Result): { at: Record<string, number>; label: string }[] {
  const columns = result.banners.flatMap((banner) => {
    let paths: { at: Record<string, number>; label: string }[] = [{ at: {}, label: "" }];
    banner.variables.forEach((name, level) => {
      paths = paths.flatMap((path) =>
        (banner.categories[level] ?? []).map((c) => ({
          at: { ...path.at, [name]: c.code },
          label: path.label ? `${path.label}, ${c.label}` : c.label,
        })),
      );
    });
    return paths;
  });
  return [...columns, { at: {}, label: "all cases" }];
}

/** A column of a contrast that is being made, and how often it counts. */
export type Term = { at: Record<string, number>; times: number };

const same = (a: Record<string, number>, b: Record<string, number>) =>
  JSON.stringify(Object.entries(a).sort()) === JSON.stringify(Object.entries(b).sort());

/** A column more: what is there already counts so much more or less. */
export function withTerm(terms: readonly Term[], at: Term["at"], times: number): Term[] {
  const there = terms.some((t) => same(t.at, at));
  const to = there
    ? terms.map((t) => (same(t.at, at) ? { ...t, times: t.times + times } : t))
    : [...terms, { at, times }];
  return to.filter((t) => t.times !== 0);
}

/** A contrast in words: "Brim less Hask", "Brim + 2 × Orran − everybody". */
export function contrastName(terms: readonly Term[], name: (at: Term["at"]) => string, ratio: boolean): string {
  const [top, bottom] = [terms.find((t) => t.times > 0), terms.find((t) => t.times < 0)];
  if (terms.length === 2 && top?.times === 1 && bottom?.times === -1)
    return `${name(top.at)} ${ratio ? "over" : "less"} ${name(bottom.at)}`;
  return terms
    .map(({ at, times }, i) => {
      const size = Math.abs(times) === 1 ? "" : `${plainly(Math.abs(times))} × `;
      const sign = times < 0 ? "− " : i ? "+ " : "";
      return `${sign}${size}${name(at)}`;
    })
    .join(" ");
}

/** A contrast in the making: its columns, pointed at or chosen, each with how often it counts. */
export function ContrastDraft({
  result,
  terms,
  setTerms,
  contrasts,
  take,
}: {
  result: Result;
  terms: readonly Term[];
  setTerms: (to: Term[]) => void;
  contrasts: readonly Contrast[];
  take: (to: Contrast[]) => void;
}) {
  const columns = columnsOf(result);
  const [over, setOver] = useState(false);
  const [typed, setTyped] = useState("");
  const name = (at: Term["at"]) => columns.find((c) => same(c.at, at))?.label ?? "";
  const free = columns.filter((c) => !terms.some((t) => same(t.at, c.at)));
  const two = terms.length === 2 && terms.some((t) => t.times === 1) && terms.some((t) => t.times === -1);
  const ratio = two && over;
  const label = typed.trim() || contrastName(terms, name, ratio);
  const twice = contrasts.some((c) => c.label === label);
  return (
    <div className="flex flex-wrap items-center gap-x-3 gap-y-1 text-sm">
      {terms.map((term, i) => (
        <span key={JSON.stringify(term.at)} className="flex items-center gap-1 rounded bg-wash pl-1">
          <NumberField
            aria-label={`Coefficient of ${name(term.at)}`}
            className="!w-14"
            value={term.times}
            empty={false}
            fits={(n) => n !== 0}
            take={(n) => n && setTerms(terms.map((t, k) => (k === i ? { ...t, times: n } : t)))}
          />
          × {name(term.at)}
          <ActionButton
            id={`drop-term-${i}`}
            label={`Remove ${name(term.at)} from the contrast`}
            icon={X}
            bare
            look="quiet"
            run={() => setTerms(terms.filter((_, k) => k !== i))}
          />
        </span>
      ))}
      <Choice
        aria-label="Add a column to the contrast"
        className="!w-44"
        value=""
        options={[["", "add a column …"], ...free.map((c) => [JSON.stringify(c.at), c.label] as const)]}
        onChange={(e) => e.target.value && setTerms(withTerm(terms, JSON.parse(e.target.value), terms.length ? -1 : 1))}
      />
      {two && <Tick label="as a ratio" checked={over} onChange={(e) => setOver(e.target.checked)} />}
      {terms.length > 0 && (
        <>
          <TextInput
            aria-label="What the contrast is called"
            className="!w-56"
            value={typed}
            placeholder={contrastName(terms, name, ratio)}
            onChange={(e) => setTyped(e.target.value)}
          />
          <ActionButton
            id="add-contrast"
            label="Add this contrast"
            icon={Plus}
            disabled={twice}
            run={() => {
              take([...contrasts, { label, of: [...terms], ...(ratio ? { ratio } : {}) }]);
              setTerms([]);
              setTyped("");
            }}
          />
        </>
      )}
    </div>
  );
}

/** The contrasts of a table: those there are, and one in the making. pointed: it stands beside a figure in hand. */
export function ContrastForm({ pointed, ...props }: Parameters<typeof ContrastDraft>[0] & { pointed: boolean }) {
  return (
    <>
      {!pointed && <ContrastDraft {...props} />}
      <p className="py-1 text-soft text-xs">Or point at figures of the table, and add or subtract their columns.</p>
      <div className="flex flex-wrap gap-2 text-sm">
        {props.contrasts.map((c) => (
          <span key={c.label} className="flex items-center rounded bg-wash pl-2">
            {c.label}
            <ActionButton
              id={`drop-contrast-${c.label}`}
              label={`Remove the contrast ${c.label}`}
              icon={X}
              bare
              look="quiet"
              run={() => props.take(props.contrasts.filter((other) => other !== c))}
            />
          </span>
        ))}
      </div>
    </>
  );
}

const p = (value: number) => (value < 0.001 ? "p < 0.001" : `p = ${decimals(value, 3)}`);

/** Contrasts of a table's columns, a line for each row and figure. */
export function Contrasts({ result }: { result: Result }) {
  const vocabulary = useVocabulary();
  const found = result.contrasts ?? [];
  if (!found.length) return null;
  const rowOf = (stub: Schema["StubKey"]) => {
    const heading = result.stubs.find((s) => s.variable === stub.variable);
    const category = heading?.categories.find((c) => c.code === stub.code);
    return stub.net ?? category?.label ?? heading?.title ?? stub.variable;
  };
  const labels = [...new Set(found.map((c) => c.label))];
  return (
    <section aria-label="Contrasts" className="max-w-4xl">
      <Sub>Contrasts</Sub>
      <table className="w-full text-sm">
        {labels.map((label) => (
          <tbody key={label} className="figures">
            <tr>
              <th scope="rowgroup" colSpan={4} className="pt-2 text-left font-semibold font-serif">
                {label}
              </th>
            </tr>
            {found
              .filter((c) => c.label === label)
              .map((c) => {
                const times = SHARES.includes(c.stat) && !c.ratio ? 100 : 1;
                const of = (x: number) => decimals(times * x, times === 100 ? 1 : 2);
                const row = rowOf(c.stub);
                return (
                  <tr key={`${row} ${c.stat}`} className="text-right">
                    <td className="py-0.5 pl-4 text-left">
                      {row} <span className="text-soft text-xs">{statisticName(vocabulary, c.stat)}</span>
                    </td>
                    <td className="w-20 pl-3">{of(c.est)}</td>
                    <td className="w-36 pl-3 text-soft text-xs">
                      {c.low != null && c.high != null && `${of(c.low)} to ${of(c.high)}`}
                    </td>
                    <td className="w-36 pl-3 text-xs">
                      {c.t != null && c.p != null && `t = ${decimals(c.t, 2)}, ${p(c.p)}`}
                    </td>
                  </tr>
                );
              })}
          </tbody>
        ))}
      </table>
    </section>
  );
}
