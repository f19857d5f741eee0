import { ArrowDown, ArrowUp, Trash } from "@phosphor-icons/react";
import { useNavigate } from "@tanstack/react-router";
import type { Schema } from "../../api/client";
import { ActionButton } from "../../parts/actions";
import { Choice, Field } from "../../parts/fields";
import { count, decimals } from "../../parts/figures";
import { Faults } from "../../parts/notices";
import { NumberField } from "../../parts/number-field";
import { Heading } from "../../parts/panes";
import { type Category, categoriesOf, same, wholeOf } from "./categories";
import { FitCells, FitHead, FitKey, MeanWeights, reachOf } from "./fit";
import { PasteTargets } from "./paste";
import { Strip } from "./strip";
import { KINDS, type NumberKind, OF_NUMBERS, type TargetKind } from "./target-kinds";
import { byOf, faultsAt, itemOf, type Margin, type Report, type Row, titleOf, useWeighting } from "./weights";
import { WithinChoice } from "./within-choice";

/** The sum of a group's targets, and what is short of the total. */
function SumRow({ sum, whole, label }: { sum: number; whole: number | null; label: string }) {
  const off = whole != null && Math.abs(sum - whole) > whole * 0.0005 ? whole - sum : 0;
  return (
    <tr className="figures border-rule border-t text-right">
      <td className="py-1 text-left font-serif">{label}</td>
      <td />
      <td />
      <td className={`pr-2 ${off ? "font-semibold text-heed" : ""}`}>
        {decimals(sum, whole == null ? 0 : whole === 1 ? 4 : 2)}
      </td>
      <td colSpan={2} className="text-left text-heed">
        {off !== 0 && (
          <span className="pl-3">
            ▲ {decimals(Math.abs(off), whole === 1 ? 4 : 2)} {off > 0 ? "short of the total" : "too much"}
          </span>
        )}
      </td>
    </tr>
  );
}

/** Cases without a value on the margin, whose share is held; none where all have one. */
function HeldRow({ by, codebook }: { by: readonly string[]; codebook: Schema["CodebookView"] }) {
  const view = codebook.variables.find((v) => v.variable.name === by[0]);
  const n = view ? view.blank + view.missing + view.unplaced : 0;
  if (by.length > 1 || !n || !view) return null;
  return (
    <tr className="text-right">
      <td className="py-0.5 text-left">No value here</td>
      <td />
      <td />
      <td className="pr-2 text-soft">share held</td>
      <td />
      <td className="text-soft">{count(n)}</td>
    </tr>
  );
}

/** Targets of each `within` group from those of all, or back. */
function regrouped(margin: Margin, groups: Category[], own: boolean): Margin["targets"] {
  if (own) return groups.flatMap((g) => margin.targets.map((t) => ({ ...t, at: { ...g.at, ...t.at } })));
  const first = groups[0]?.at ?? {};
  return margin.targets
    .filter((t) => Object.entries(first).every(([name, code]) => t.at[name] === code))
    .map((t) => ({ ...t, at: Object.fromEntries(byOf(margin).map((name) => [name, t.at[name] as number])) }));
}

/** A margin's categories: sample, target and weighted share together, as picture and as numbers. */
export function MarginInHand({
  weightingAt,
  at,
  margin,
  codebook,
  report,
  faults,
}: {
  weightingAt: number;
  at: number;
  margin: Margin;
  codebook: Schema["CodebookView"];
  report?: Report;
  faults: readonly Schema["Fault"][];
}) {
  const { study, weighting, margin: turn, save } = useWeighting(weightingAt);
  const navigate = useNavigate();
  const margins = weighting.margins ?? [];
  const within = weighting.within ?? [];
  const put = (parts: Partial<Margin>) => turn(at, (m) => ({ ...m, ...parts }));
  const go = (part: string) =>
    navigate({ to: "/study/$id/weighting/{-$item}", params: { id: study.id, item: itemOf(weightingAt, part) } });
  const move = (by: number) => {
    const to = margins.filter((_, i) => i !== at);
    to.splice(at + by, 0, margin);
    save({ margins: to });
    go(`margin-${at + by}`);
  };
  const own = margin.targets.some((t) => within.some((name) => name in t.at));
  const groups = within.length ? categoriesOf(within, codebook) : [{ at: {}, label: "" }];
  const by = byOf(margin);
  const number = margin.total_of != null;
  const categories = categoriesOf(by, codebook);
  const rows: readonly Row[] = report?.margins[at]?.rows ?? [];
  const reach = reachOf(rows, number);
  const whole = wholeOf(margin.as);
  const { own: mine, others } = faultsAt(faults, `weightings[${weightingAt}].margins[${at}]`);
  const setTarget = (place: Record<string, number>, value: number | null) =>
    turn(at, (m) => {
      const left = m.targets.filter((t) => !same(t.at, place));
      const before = m.targets.findIndex((t) => same(t.at, place));
      if (value != null) left.splice(before < 0 ? left.length : before, 0, { at: place, value });
      return { ...m, targets: left };
    });
  return (
    <div>
      <Heading over="Margin">{titleOf(margin)}</Heading>
      <div className="flex max-w-4xl flex-wrap items-end gap-x-4">
        <Field label="Targets are">
          {(p) => (
            <Choice
              {...p}
              className="!w-40"
              value={margin.as ?? "shares"}
              options={number ? OF_NUMBERS : KINDS}
              onChange={(e) => put({ as: e.target.value as TargetKind | NumberKind })}
            />
          )}
        </Field>
        {!number && (
          <Field label="Cases with no value here">
            {(p) => (
              <Choice
                {...p}
                className="!w-52"
                value={margin.unknown ?? "refuse"}
                onChange={(e) => put({ unknown: e.target.value as "refuse" | "hold" })}
                options={[
                  ["refuse", "stop, and say how many"],
                  ["hold", "keep their share as it is"],
                ]}
              />
            )}
          </Field>
        )}
        <WithinChoice within={within} own={own} change={(to) => put({ targets: regrouped(margin, groups, to) })} />
        <span className="mb-2 flex">
          <ActionButton
            id="margin-earlier"
            label="Rake this margin earlier"
            icon={ArrowUp}
            bare
            look="quiet"
            disabled={at === 0}
            run={() => move(-1)}
          />
          <ActionButton
            id="margin-later"
            label="Rake this margin later"
            icon={ArrowDown}
            bare
            look="quiet"
            disabled={at === margins.length - 1}
            run={() => move(1)}
          />
          <ActionButton
            id="drop-margin"
            label={`Remove this margin: ${titleOf(margin)}`}
            icon={Trash}
            look="quiet"
            run={() => {
              save({ margins: margins.filter((_, i) => i !== at) });
              go("");
            }}
          >
            Remove
          </ActionButton>
        </span>
      </div>
      <Faults faults={mine} />
      {mine.some((f) => f.kind === "unknown_on_margin") && (
        <ActionButton
          id="hold-unknown"
          label="Keep their share as it is"
          look="strong"
          className="mb-3"
          run={() => put({ unknown: "hold" })}
        />
      )}
      {others.length > 0 && !report && (
        <p className="my-2 text-heed text-sm">
          ▲ No weights yet: {others[0]?.what} {others[0]?.mend}
        </p>
      )}
      {report && <Strip report={report} />}
      <table className="w-full max-w-4xl text-sm">
        <FitHead target="Target" number={number} />
        {groups.map((group) => {
          const inGroup = own
            ? margin.targets.filter((t) => Object.keys(group.at).every((n) => t.at[n] === group.at[n]))
            : margin.targets;
          return (
            <tbody key={group.label} className="figures">
              {group.label && (
                <tr>
                  <th colSpan={6} scope="rowgroup" className="pt-2 text-left font-semibold font-serif">
                    {group.label}
                  </th>
                </tr>
              )}
              {categories.map(({ at: place, label }) => {
                const shown = { ...group.at, ...place };
                const held = own ? shown : place;
                const target = margin.targets.find((t) => same(t.at, held));
                const named = [group.label, label].filter(Boolean).join(", ") || "all";
                return (
                  <tr key={label} className="text-right">
                    <td className="py-0.5 text-left">{label || "All"}</td>
                    <FitCells
                      row={rows.find((r) => same(r.at, shown))}
                      reach={reach}
                      number={number}
                      target={
                        <NumberField
                          aria-label={`Target of ${named}`}
                          value={target?.value}
                          take={(value) => setTarget(held, value)}
                        />
                      }
                    />
                  </tr>
                );
              })}
              {margin.unknown === "hold" && !group.label && <HeldRow by={by} codebook={codebook} />}
              {!number && (
                <SumRow
                  sum={inGroup.reduce((total, t) => total + t.value, 0)}
                  whole={whole}
                  label={group.label ? `Sum, ${group.label}` : "Sum"}
                />
              )}
            </tbody>
          );
        })}
      </table>
      <FitKey />
      {rows.length > 0 && <MeanWeights rows={rows} />}
      {by.length > 0 && (
        <details className="mt-6">
          <summary className="cursor-pointer text-act text-sm">Paste all targets anew</summary>
          <PasteTargets by={own ? [...within, ...by] : by} take={(targets) => put({ targets })} />
        </details>
      )}
    </div>
  );
}
