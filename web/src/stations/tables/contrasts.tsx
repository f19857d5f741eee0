import { Plus, X } from "@phosphor-icons/react";
import { useState } from "react";
import type { Schema } from "../../api/client";
import { statisticName, useVocabulary } from "../../api/vocabulary";
import { ActionButton } from "../../parts/actions";
import { Choice, Field } from "../../parts/fields";
import { decimals } from "../../parts/figures";
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
  return [...columns, { at: {}, label: "everybody" }];
}

/** Two columns held against each other: their difference, or the ratio of the one to the other. */
export function NewContrast({
  result,
  contrasts,
  take,
}: {
  result: Result;
  contrasts: readonly Contrast[];
  take: (to: Contrast[]) => void;
}) {
  const columns = columnsOf(result);
  const [first, setFirst] = useState("0");
  const [second, setSecond] = useState(String(columns.length - 1));
  const [how, setHow] = useState("less");
  const options = columns.map((c, i) => [String(i), c.label] as const);
  const [a, b] = [columns[Number(first)], columns[Number(second)]];
  const label = `${a?.label} ${how} ${b?.label}`;
  const twice = contrasts.some((c) => c.label === label);
  return (
    <div className="flex flex-wrap items-end gap-2 text-sm">
      <Field label="Contrast">
        {(p) => <Choice {...p} value={first} options={options} onChange={(e) => setFirst(e.target.value)} />}
      </Field>
      <Choice
        aria-label="How the columns are held against each other"
        className="mb-2 !w-24"
        value={how}
        options={[
          ["less", "less"],
          ["over", "over"],
        ]}
        onChange={(e) => setHow(e.target.value)}
      />
      <Field label="With">
        {(p) => <Choice {...p} value={second} options={options} onChange={(e) => setSecond(e.target.value)} />}
      </Field>
      <ActionButton
        id="add-contrast"
        label="Add this contrast"
        icon={Plus}
        className="mb-2"
        disabled={first === second || twice || !a || !b}
        run={() =>
          a &&
          b &&
          take([
            ...contrasts,
            {
              label,
              of: [
                { at: a.at, times: 1 },
                { at: b.at, times: -1 },
              ],
              ...(how === "over" ? { ratio: true } : {}),
            },
          ])
        }
      />
      {contrasts.map((c) => (
        <span key={c.label} className="mb-2 flex items-center rounded bg-wash pl-2">
          {c.label}
          <ActionButton
            id={`drop-contrast-${c.label}`}
            label={`Take out the contrast ${c.label}`}
            icon={X}
            bare
            look="quiet"
            run={() => take(contrasts.filter((other) => other !== c))}
          />
        </span>
      ))}
    </div>
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
