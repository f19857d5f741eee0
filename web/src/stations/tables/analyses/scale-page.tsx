import { ArrowsDownUp, Sigma } from "@phosphor-icons/react";
import { useState } from "react";
import type { Schema, Step } from "../../../api/client";
import { useStudy } from "../../../api/queries";
import { ActionButton } from "../../../parts/actions";
import { count, decimals } from "../../../parts/figures";
import { FilterField } from "../../../parts/filter";
import { FindMany } from "../../../parts/find-many";
import { Bar, Sub } from "../../../parts/panes";
import { ReverseForm } from "../../codebook/reverse";
import { ScoreForm } from "../../codebook/score";
import type { ScaleFound as Result, Scale } from "./plan";

/** Which items a scale is made of. */
export function ScaleForm({
  scale,
  codebook,
  save,
}: {
  scale: Scale;
  codebook: Schema["CodebookView"];
  save: (to: Scale) => void;
}) {
  const usable = codebook.variables.filter((v) => ["coded", "number"].includes(v.variable.kind));
  return (
    <section aria-label="What the scale is made of" className="grid grid-cols-[2fr_14rem] gap-x-6 [&>*]:my-1">
      <FindMany
        id="items"
        label="Items"
        chosen={scale.items ?? []}
        options={usable.map((v) => ({ name: v.variable.name, title: v.variable.label }))}
        begin={!scale.items?.length}
        change={(items) => save({ ...scale, items })}
      />
      <FilterField label="Filter" value={scale.where} take={(where) => save({ ...scale, where })} />
      {!scale.items?.length && codebook.batteries.length > 0 && (
        <div className="col-span-2 flex flex-wrap gap-x-1">
          {codebook.batteries.slice(0, 6).map((battery, i) => (
            <ActionButton
              key={battery.stem}
              id={`take-battery-${i}`}
              label={`Use the ${battery.variables.length} items of: ${battery.stem}`}
              run={() => save({ ...scale, items: battery.variables })}
            />
          ))}
        </div>
      )}
    </section>
  );
}

const of = (value: number | null | undefined) => (value == null ? "–" : decimals(value, 2));

type Item = Result["items"][number];
const against = (item: Item) => item.item_rest != null && item.item_rest < 0;
const better = (item: Item, scale: Result) =>
  item.alpha_without != null && scale.alpha != null && item.alpha_without > scale.alpha;

/** α with its interval, and every item against the rest. */
export function ScaleResult({ scale, titles }: { scale: Result; titles: Record<string, string> }) {
  const facts: [string, string, string][] = [
    ["Cronbach's α", of(scale.alpha), scale.low == null ? "" : `${of(scale.low)} to ${of(scale.high)}`],
    ["Standardised α", of(scale.standardised), ""],
    ["Cases with all items", count(scale.n), `of ${count(scale.in_filter)}`],
  ];
  return (
    <>
      <dl className="my-3 flex gap-8 border-hair border-y py-2">
        {facts.map(([label, value, more]) => (
          <div key={label}>
            <dt className="text-soft text-xs">{label}</dt>
            <dd className="font-serif text-lg leading-tight">{value}</dd>
            <dd className="text-soft text-xs">{more}</dd>
          </div>
        ))}
      </dl>
      <Sub>Items</Sub>
      <table className="w-full max-w-4xl text-sm">
        <thead>
          <tr className="border-rule border-y text-right font-serif">
            <th className="py-1 text-left font-semibold">Item</th>
            <th className="font-semibold">Mean</th>
            <th className="pl-3 font-semibold">sd</th>
            <th className="w-40 pl-6 text-left font-semibold">Item–rest correlation</th>
            <th className="font-semibold">r</th>
            <th className="whitespace-nowrap pl-4 font-semibold">α without it</th>
          </tr>
        </thead>
        <tbody className="figures">
          {scale.items.map((item) => {
            return (
              <tr key={item.variable} className="text-right align-top">
                <td className="py-1 text-left">
                  <span className="font-semibold">{item.variable}</span>
                  <span className="line-clamp-1 font-serif text-soft">{titles[item.variable]}</span>
                </td>
                <td className="py-1">{of(item.mean)}</td>
                <td className="py-1 pl-3">{of(item.sd)}</td>
                <td className="py-2 pr-3 pl-6">
                  <Bar share={Math.abs(item.item_rest ?? 0)} heed={against(item)} />
                </td>
                <td className={`py-1 ${against(item) ? "font-semibold text-heed" : ""}`}>
                  {against(item) ? "▲ " : ""}
                  {of(item.item_rest)}
                </td>
                <td className={`py-1 pl-3 ${better(item, scale) ? "font-semibold text-heed" : ""}`}>
                  {better(item, scale) ? "▲ " : ""}
                  {of(item.alpha_without)}
                </td>
              </tr>
            );
          })}
        </tbody>
      </table>
      {scale.items.some((i) => better(i, scale) || against(i)) && (
        <p className="text-soft text-xs">
          ▲ {scale.items.some(against) && "Negatively correlated with the rest; it may be reverse-worded. "}
          {scale.items.some((i) => better(i, scale)) && "Without it α would be higher."}
        </p>
      )}
    </>
  );
}

/** The variable that a step made of another with its codes reversed, where one did. */
function reversedForm(ledger: readonly Step[], name: string): string | undefined {
  const made = ledger.flatMap((s) =>
    s.do === "reverse" && !s.off && s.suffix && s.variables.includes(name) ? [name + s.suffix] : [],
  );
  return made.at(-1);
}

/** What can be made of a scale: the items that run against it turned round, a score of its items. */
export function ScaleSteps({
  found,
  scale,
  codebook,
  save,
}: {
  found: Result;
  scale: Scale;
  codebook: Schema["CodebookView"];
  save: (to: Scale) => void;
}) {
  const [open, setOpen] = useState<"reverse" | "score" | null>(null);
  const { document } = useStudy();
  const items = scale.items ?? [];
  const inPlace = (made: (string | undefined)[]) =>
    save({ ...scale, items: items.map((name) => made[turned.indexOf(name)] ?? name) });
  const viewsOf = (names: readonly string[]) => codebook.variables.filter((v) => names.includes(v.variable.name));
  const turned = found.items.filter(against).map((i) => i.variable);
  const coded = viewsOf(turned).every((v) => v.variable.kind === "coded");
  const have = turned.map((name) => reversedForm(document.ledger ?? [], name));
  return (
    <>
      <div className="mt-2 flex flex-wrap gap-1">
        {have.some(Boolean) && (
          <ActionButton
            id="take-reversed"
            label={`Use ${have.filter(Boolean).join(", ")} instead`}
            icon={ArrowsDownUp}
            run={() => inPlace(have)}
          />
        )}
        {turned.length > 0 && coded && (
          <ActionButton
            id="reverse-items"
            label={`Reverse ${turned.length === 1 ? turned[0] : `the ${turned.length} that run against the rest`} …`}
            icon={ArrowsDownUp}
            pressed={open === "reverse"}
            run={() => setOpen(open === "reverse" ? null : "reverse")}
          />
        )}
        <ActionButton
          id="score-items"
          label="Make a score of these items …"
          icon={Sigma}
          pressed={open === "score"}
          run={() => setOpen(open === "score" ? null : "score")}
        />
      </div>
      {open === "reverse" && (
        <section aria-label="Reverse items" className="max-w-3xl">
          <ReverseForm
            views={viewsOf(turned)}
            done={(made) => {
              inPlace(made);
              setOpen(null);
            }}
          />
        </section>
      )}
      {open === "score" && (
        <section aria-label="Score" className="max-w-3xl">
          <ScoreForm views={viewsOf(items)} title={scale.title ?? ""} done={() => setOpen(null)} />
        </section>
      )}
    </>
  );
}
