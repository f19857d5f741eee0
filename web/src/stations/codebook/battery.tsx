import { Link } from "@tanstack/react-router";
import type { Schema } from "../../api/client";
import { useStudy } from "../../api/queries";
import { count, percent } from "../../parts/figures";
import { useShowing } from "../../parts/labels";

type Battery = Schema["Battery"];
type View = Schema["VariableView"];

/** Columns of a battery: the scale's answers; of texts the words given most often. */
function columnsOf(
  views: readonly View[],
  scale?: Schema["Scale"],
): { key: string; code: number | null; label: string }[] {
  if (scale) return scale.codes.map((c) => ({ key: String(c.code), code: c.code, label: c.label }));
  const words = new Map<string, number>();
  for (const view of views) for (const a of view.answers) words.set(a.label, (words.get(a.label) ?? 0) + a.cases);
  return [...words]
    .sort((a, b) => b[1] - a[1])
    .slice(0, 6)
    .map(([label]) => ({ key: label, code: null, label }));
}

/** A battery as the grid it was: items down, answers across, each cell the share who gave it. */
export function BatteryGrid({ battery, codebook }: { battery: Battery; codebook: Schema["CodebookView"] }) {
  const study = useStudy();
  const { codes } = useShowing();
  const views = battery.variables.flatMap((name) => codebook.variables.filter((v) => v.variable.name === name));
  const scale = battery.scale ? codebook.scales[battery.scale] : undefined;
  const columns = columnsOf(views, scale);
  return (
    // biome-ignore lint/a11y/noNoninteractiveTabindex: a scrolling region is reached by keyboard
    <section aria-label={`Battery ${battery.variables[0]}: ${battery.stem}`} tabIndex={0} className="overflow-x-auto">
      <table className="w-full text-sm">
        <thead>
          <tr className="border-rule border-y align-bottom font-serif">
            <th className="py-1 text-left font-semibold">
              <span className="sr-only">Item</span>
            </th>
            {columns.map((c) => (
              <th key={c.key} className="w-20 px-1 py-1 text-right font-semibold leading-tight">
                {codes && c.code != null ? c.code : c.label}
                {!codes && c.code != null && <span className="block font-normal text-soft text-xs">{c.code}</span>}
              </th>
            ))}
            <th className="w-16 px-1 py-1 text-right font-normal text-soft">answered</th>
            <th className="w-14 px-1 py-1 text-right font-normal text-soft">blank</th>
          </tr>
        </thead>
        <tbody className="figures">
          {views.map((view, i) => (
            <tr key={view.variable.name} className="border-hair border-b">
              <td className="py-0.5 pr-3">
                <Link
                  to="/study/$id/codebook/{-$item}"
                  params={{ id: study.id, item: view.variable.name }}
                  className="font-serif hover:text-act hover:underline"
                >
                  {battery.items[i]}
                </Link>
                {view.unplaced > 0 && <span className="ml-2 text-heed text-xs">▲ {view.unplaced} unrecognised</span>}
              </td>
              {columns.map((c) => {
                const answer = view.answers.find((a) => (c.code != null ? a.code === c.code : a.label === c.label));
                const share = (answer?.cases ?? 0) / Math.max(view.answered, 1);
                return (
                  <td key={c.key} className="relative px-1 text-right">
                    <span
                      className="absolute inset-y-0.5 right-0 bg-act opacity-15"
                      style={{ width: `${100 * share}%` }}
                      aria-hidden
                    />
                    <span className="relative">{percent(share, 0)}</span>
                  </td>
                );
              })}
              <td className="px-1 text-right text-soft">{count(view.answered)}</td>
              <td className="px-1 text-right text-soft">{count(view.blank)}</td>
            </tr>
          ))}
        </tbody>
      </table>
    </section>
  );
}
