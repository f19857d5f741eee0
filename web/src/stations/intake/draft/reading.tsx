import type { Schema } from "../../../api/client";
import { Choice, Field, TextInput } from "../../../parts/fields";
import { count, plainly } from "../../../parts/figures";
import type { Line } from "./edits";
import { moment, ORDERS } from "./why";

const DECIMALS = [
  [".", "a point, 12.5"],
  [",", "a comma, 12,5"],
  ["either", "either"],
] as const;
const THOUSANDS = [
  ["", "nothing"],
  [",", "a comma, 1,200"],
  [".", "a point, 1.200"],
  [" ", "a space, 1 200"],
  ["'", "an apostrophe, 1'200"],
] as const;

/** How a line's numbers or dates are written, and what some of them read as. */
export function ReadingEditor({
  line,
  effect,
  change,
}: {
  line: Line;
  effect: Schema["DraftEffect"];
  change: (to: Line) => void;
}) {
  const number = line.number ?? { decimal: "." as const, thousands: null };
  const some = effect.answers.filter((a) => a.sort === "answer" && a.value != null);
  const shown = [some[0], some[Math.floor(some.length / 2)], some[some.length - 1]].filter(
    (a, i, all) => a && all.indexOf(a) === i,
  );
  return (
    <div className="my-2 flex flex-wrap gap-x-6">
      {line.kind === "date" ? (
        <Field label="Day, month and year">
          {(p) => (
            <Choice
              {...p}
              value={line.date?.order ?? "year_month_day"}
              options={ORDERS}
              onChange={(e) =>
                change({
                  ...line,
                  date: { ...line.date, order: e.target.value as NonNullable<Line["date"]>["order"] },
                })
              }
            />
          )}
        </Field>
      ) : (
        <>
          <Field label="Decimal separator">
            {(p) => (
              <Choice
                {...p}
                value={number.decimal ?? "."}
                options={DECIMALS}
                onChange={(e) => change({ ...line, number: { ...number, decimal: e.target.value as "." } })}
              />
            )}
          </Field>
          <Field label="Thousands separator">
            {(p) => (
              <Choice
                {...p}
                value={number.thousands ?? ""}
                options={THOUSANDS}
                onChange={(e) =>
                  change({ ...line, number: { ...number, thousands: (e.target.value || null) as null } })
                }
              />
            )}
          </Field>
        </>
      )}
      {line.kind === "number" && (
        <Field label="Codes that mean no answer">
          {(p) => (
            <TextInput
              {...p}
              key={JSON.stringify(line.missing)}
              className="!w-44"
              placeholder="99, 98"
              defaultValue={(line.missing ?? [])
                .filter((c) => /^No answer/.test(c.label))
                .map((c) => c.code)
                .join(", ")}
              onBlur={(e) => {
                const codes = e.target.value
                  .split(/[\s,;]+/)
                  .filter((c) => /^-?\d+$/.test(c))
                  .map(Number);
                const worded = (line.missing ?? []).filter((c) => !/^No answer/.test(c.label));
                const free = codes.filter(
                  (code, i) => codes.indexOf(code) === i && !worded.some((c) => c.code === code),
                );
                const missing = [...free.map((code) => ({ code, label: `No answer (${code})` })), ...worded];
                if (
                  JSON.stringify(missing.map((c) => c.code)) !== JSON.stringify((line.missing ?? []).map((c) => c.code))
                )
                  change({ ...line, missing });
              }}
            />
          )}
        </Field>
      )}
      <div className="my-2 text-sm">
        <p className="font-semibold">Read as</p>
        {shown.map(
          (a) =>
            a?.value != null && (
              <p key={a.text} className="text-soft">
                <span className="whitespace-pre">“{a.text}”</span> →{" "}
                <span className="figures text-ink">{line.kind === "date" ? moment(a.value) : plainly(a.value)}</span>
              </p>
            ),
        )}
        {effect.left > 0 && <p className="text-heed">▲ {count(effect.left)} not read</p>}
      </div>
    </div>
  );
}
