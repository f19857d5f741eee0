import { useState } from "react";
import type { Schema, Step } from "../../api/client";
import { Field, TextInput } from "../../parts/fields";
import { TakeStep } from "../../parts/trial";
import { Named } from "./named";

/** "18, 35, 60" as bands: 18 to 34, 35 to 59, 60 and over. Numbers below the first are in no band. */
export function bandsFrom(cuts: string, label: (from: number, below: number | null) => string) {
  const starts = cuts
    .split(/[\s,;]+/)
    .filter(Boolean)
    .map(Number);
  if (
    !starts.length ||
    starts.some((n) => !Number.isFinite(n)) ||
    starts.some((n, i) => i > 0 && n <= (starts[i - 1] ?? 0))
  )
    return null;
  return starts.map((from, i) => {
    const below = starts[i + 1] ?? null;
    return { code: i + 1, label: label(from, below), from, ...(below == null ? {} : { below }) };
  });
}

const labelOf = (from: number, below: number | null) =>
  below == null
    ? `${from} and over`
    : Number.isInteger(from) && Number.isInteger(below)
      ? `${from} to ${below - 1}`
      : `${from} to under ${below}`;

export function BandForm({
  variable,
  number,
  done,
}: {
  variable: Schema["Variable"];
  number?: Schema["NumberSummary"] | null;
  done: () => void;
}) {
  const [into, setInto] = useState(`${variable.name}_band`.slice(0, 40));
  const [label, setLabel] = useState(variable.label ?? "");
  const [cuts, setCuts] = useState("");
  const [labels, setLabels] = useState<Record<number, string>>({});
  const bands = bandsFrom(cuts, labelOf)?.map((b) => ({ ...b, label: labels[b.from] ?? b.label }));
  const step: Step | null =
    bands && into ? { do: "band", variable: variable.name, into, label: label || null, bands } : null;
  return (
    <div>
      <Named into={into} setInto={setInto} label={label} setLabel={setLabel} />
      <Field
        label="Where each band begins"
        hint={
          number
            ? `Numbers range from ${number.low} to ${number.high}; those below the first lower limit are in no band.`
            : undefined
        }
        wrong={cuts && !bands ? "Enter numbers in ascending order, such as 18, 35, 60." : undefined}
      >
        {(p) => <TextInput {...p} value={cuts} placeholder="18, 35, 60" onChange={(e) => setCuts(e.target.value)} />}
      </Field>
      {bands && (
        <ol className="my-2">
          {bands.map((b) => (
            <li key={b.from} className="flex items-center gap-3 py-0.5 text-sm">
              <span className="figures w-5 text-right text-soft">{b.code}</span>
              <TextInput
                aria-label={`Label of band ${b.code}`}
                className="!w-56"
                value={b.label}
                onChange={(e) => setLabels({ ...labels, [b.from]: e.target.value })}
              />
              <span className="text-soft">
                from {b.from} {b.below != null && `to under ${b.below}`}
              </span>
            </li>
          ))}
        </ol>
      )}
      <TakeStep id="apply-band" label="Create variable" step={step} done={done} />
    </div>
  );
}
