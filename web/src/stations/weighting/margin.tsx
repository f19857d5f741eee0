import { Trash } from "@phosphor-icons/react";
import { useNavigate } from "@tanstack/react-router";
import { useState } from "react";
import type { Schema } from "../../api/client";
import { useChange, useStudy } from "../../api/queries";
import { ActionButton } from "../../parts/actions";
import { Choice, Field, TextInput } from "../../parts/fields";
import { count, decimals, percent } from "../../parts/figures";
import { Faults } from "../../parts/notices";
import { Heading } from "../../parts/panes";
import { categoriesOf, same, wholeOf } from "./categories";
import { FitKey, FitLine } from "./fit";
import { KINDS, type TargetKind } from "./new-margin";
import { PasteTargets } from "./paste";
import type { Weighting } from "./station";

type Margin = NonNullable<Weighting["margins"]>[number];

/** One target: typed, taken when the field is left or Enter is pressed. */
function TargetField({ label, value, take }: { label: string; value?: number; take: (value: number | null) => void }) {
  const [text, setText] = useState<string | null>(null);
  const shown = text ?? (value == null ? "" : String(value));
  const parsed = Number(shown.replace(/[\s,](?=\d{3}\b)/g, "").replace(",", "."));
  const wrong = shown.trim() !== "" && !(parsed >= 0);
  const leave = () => {
    if (text == null || wrong) return;
    const to = text.trim() === "" ? null : parsed;
    if (to !== (value ?? null)) take(to);
    setText(null);
  };
  return (
    <TextInput
      aria-label={`Target of ${label}`}
      aria-invalid={wrong || undefined}
      inputMode="decimal"
      className={`figures !w-24 text-right ${wrong ? "!border-heed" : ""}`}
      value={shown}
      onChange={(e) => setText(e.target.value)}
      onBlur={leave}
      onKeyDown={(e) => {
        if (e.key === "Enter") leave();
        if (e.key === "Escape") setText(null);
      }}
    />
  );
}

/** A margin's categories: sample, target and weighted share together, as picture and as numbers. */
export function MarginInHand({
  at,
  margin,
  weighting,
  codebook,
  report,
  faults,
}: {
  at: number;
  margin: Margin;
  weighting: Weighting;
  codebook: Schema["CodebookView"];
  report?: Schema["WeightingReport"];
  faults: readonly Schema["Fault"][];
}) {
  const study = useStudy();
  const navigate = useNavigate();
  const { change } = useChange();
  const margins = weighting.margins ?? [];
  const save = (to: Margin) =>
    change.mutate({ weightings: [{ ...weighting, margins: margins.map((m, i) => (i === at ? to : m)) }] });
  const categories = categoriesOf(margin.by, codebook);
  const rows = report?.margins[at]?.rows ?? [];
  const top = Math.max(0.01, ...rows.flatMap((r) => [r.before, r.after, r.target]));
  const sum = margin.targets.reduce((total, t) => total + t.value, 0);
  const whole = wholeOf(margin.as);
  const off = whole != null && Math.abs(sum - whole) > whole * 0.0005 ? whole - sum : 0;
  const own = faults.filter((f) => f.where?.includes(`margins[${at}]`));
  const elsewhere = faults.filter((f) => !own.includes(f));
  const setTarget = (place: Record<string, number>, value: number | null) => {
    const others = margin.targets.filter((t) => !same(t.at, place));
    const before = margin.targets.findIndex((t) => same(t.at, place));
    if (value != null) others.splice(before < 0 ? others.length : before, 0, { at: place, value });
    save({ ...margin, targets: others });
  };
  return (
    <div>
      <Heading over="Margin">{margin.by.join(" × ")}</Heading>
      <div className="flex max-w-3xl items-end gap-4">
        <Field label="Targets are">
          {(p) => (
            <Choice
              {...p}
              className="!w-44"
              value={margin.as ?? "shares"}
              options={KINDS}
              onChange={(e) => save({ ...margin, as: e.target.value as TargetKind })}
            />
          )}
        </Field>
        <Field label="Cases with no value here">
          {(p) => (
            <Choice
              {...p}
              className="!w-56"
              value={margin.unknown ?? "refuse"}
              onChange={(e) => save({ ...margin, unknown: e.target.value as "refuse" | "hold" })}
              options={[
                ["refuse", "stop, and say how many"],
                ["hold", "keep their share as it is"],
              ]}
            />
          )}
        </Field>
        <ActionButton
          id="drop-margin"
          label={`Take this margin out: ${margin.by.join(" × ")}`}
          icon={Trash}
          look="quiet"
          className="mb-2"
          run={() => {
            change.mutateAsync({ weightings: [{ ...weighting, margins: margins.filter((_, i) => i !== at) }] }).then(
              () => navigate({ to: "/study/$id/weighting/{-$item}", params: { id: study.id, item: undefined } }),
              () => {},
            );
          }}
        >
          Take out
        </ActionButton>
      </div>
      <Faults faults={own} />
      {elsewhere.length > 0 && (
        <p className="my-2 text-heed text-sm">
          ▲ No weights yet: {elsewhere[0]?.what} {elsewhere[0]?.mend}
        </p>
      )}
      <table className="w-full max-w-4xl text-sm">
        <thead>
          <tr className="border-rule border-y text-right font-serif">
            <th className="py-1 text-left font-semibold">Category</th>
            <th className="w-52">
              <span className="sr-only">Picture</span>
            </th>
            <th className="w-20 font-semibold">Sample %</th>
            <th className="w-28 pr-1 font-semibold">Target</th>
            <th className="w-24 font-semibold">Weighted %</th>
            <th className="w-24 font-semibold">Mean weight</th>
            <th className="w-16 font-semibold">Cases</th>
          </tr>
        </thead>
        <tbody className="figures">
          {categories.map(({ at: place, label }) => {
            const row = rows.find((r) => same(r.at, place));
            const target = margin.targets.find((t) => same(t.at, place));
            return (
              <tr key={label} className="text-right">
                <td className="py-0.5 text-left">{label}</td>
                <td>{row && <FitLine row={row} top={top} />}</td>
                <td>{row ? percent(row.before) : "–"}</td>
                <td>
                  <TargetField label={label} value={target?.value} take={(value) => setTarget(place, value)} />
                </td>
                <td>{row ? percent(row.after) : "–"}</td>
                <td>{row ? decimals(row.mean_weight, 3) : "–"}</td>
                <td className="text-soft">{row ? count(row.n) : "–"}</td>
              </tr>
            );
          })}
        </tbody>
        <tfoot>
          <tr className="figures border-rule border-t text-right">
            <td className="py-1 text-left font-serif">Sum</td>
            <td />
            <td />
            <td className={`pr-2 ${off ? "font-semibold text-heed" : ""}`}>
              {decimals(sum, whole == null ? 0 : whole === 1 ? 4 : 2)}
            </td>
            <td colSpan={3} className="text-left text-heed">
              {off !== 0 && (
                <span className="pl-3">
                  ▲ {decimals(Math.abs(off), whole === 1 ? 4 : 2)} {off > 0 ? "missing to the whole" : "too much"}
                </span>
              )}
            </td>
          </tr>
        </tfoot>
      </table>
      <FitKey />
      <details className="mt-6">
        <summary className="cursor-pointer text-act text-sm">Paste all targets anew</summary>
        <PasteTargets by={margin.by} take={(targets) => save({ ...margin, targets })} />
      </details>
    </div>
  );
}
