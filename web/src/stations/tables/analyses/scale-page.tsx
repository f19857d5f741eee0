import type { Schema } from "../../../api/client";
import { count, decimals } from "../../../parts/figures";
import { FilterField } from "../../../parts/filter";
import { FindMany } from "../../../parts/find-many";
import { Bar, Sub } from "../../../parts/panes";
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
    </section>
  );
}

const of = (value: number | null | undefined) => (value == null ? "–" : decimals(value, 2));

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
            <th className="w-40 pl-6 text-left font-semibold">With the rest</th>
            <th className="font-semibold">r</th>
            <th className="whitespace-nowrap pl-4 font-semibold">α without it</th>
          </tr>
        </thead>
        <tbody className="figures">
          {scale.items.map((item) => {
            const against = item.item_rest != null && item.item_rest < 0;
            const better = item.alpha_without != null && scale.alpha != null && item.alpha_without > scale.alpha;
            return (
              <tr key={item.variable} className="text-right align-top">
                <td className="py-1 text-left">
                  <span className="font-semibold">{item.variable}</span>
                  <span className="line-clamp-1 font-serif text-soft">{titles[item.variable]}</span>
                </td>
                <td className="py-1">{of(item.mean)}</td>
                <td className="py-1 pl-3">{of(item.sd)}</td>
                <td className="py-2 pr-3 pl-6">
                  <Bar share={Math.abs(item.item_rest ?? 0)} heed={against} />
                </td>
                <td className={`py-1 ${against ? "font-semibold text-heed" : ""}`}>
                  {against ? "▲ " : ""}
                  {of(item.item_rest)}
                </td>
                <td className={`py-1 pl-3 ${better ? "font-semibold" : ""}`}>{of(item.alpha_without)}</td>
              </tr>
            );
          })}
        </tbody>
      </table>
    </>
  );
}
