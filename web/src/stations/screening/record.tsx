import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import type { Schema } from "../../api/client";
import { recordQuery } from "../../api/in-place";
import { useSaved } from "../../api/queries";
import { Field } from "../../parts/fields";
import { count } from "../../parts/figures";
import { Faults } from "../../parts/notices";
import { NumberField } from "../../parts/number-field";
import { Heading } from "../../parts/panes";
import { EditCell } from "./cells/edit";

const NOW = ["", "blank", "", "unrecognised"];

/** How an entry stands after the ledger. */
const shown = (of: Schema["RecordEntry"]) =>
  of.state === 1 ? "blank" : [of.entry, of.says, NOW[of.state]].filter(Boolean).join(" ");

/** One record by its number among all, as it came and after the ledger; each entry can be changed. */
export function RecordPage() {
  const study = useSaved();
  const [number, setNumber] = useState<number | null>(null);
  const [chosen, choose] = useState<string | null>(null);
  const most = study.source.sample?.records ?? 0;
  const { data, error } = useQuery({ ...recordQuery(study.id, study.edition, number ?? 0), enabled: number != null });
  const entry = data?.entries.find((of) => of.variable === chosen);
  return (
    <>
      <Heading over={`Any of the ${count(most)} records, drawn or not`}>A record by its number</Heading>
      <div className="w-48">
        <Field label={`Number, 1 to ${count(most)}`}>
          {(p) => (
            <NumberField
              {...p}
              value={number}
              take={(to) => {
                setNumber(to);
                choose(null);
              }}
              fits={(n) => Number.isInteger(n) && n >= 1 && n <= most}
            />
          )}
        </Field>
      </div>
      {error && <Faults faults={[{ what: error.message, where: "", mend: "" }]} />}
      {data?.aside && <p className="my-1 text-heed text-sm">▲ The ledger sets this record aside.</p>}
      {data && entry && !data.aside && (
        <EditCell
          hand={{
            place: 0,
            row: data.number,
            id: null,
            alone: true,
            variable: entry.variable,
            cell: { entry: entry.entry, label: entry.says ?? null, state: entry.state },
          }}
          done={() => {}}
        />
      )}
      {data && (
        <table className="mt-2 w-full max-w-4xl text-sm">
          <thead>
            <tr className="border-rule border-y text-left font-serif">
              <th className="py-1 pr-4 font-semibold">Variable</th>
              <th className="pr-4 font-semibold">As it came</th>
              <th className="font-semibold">After the ledger</th>
            </tr>
          </thead>
          <tbody>
            {data.entries.map((of) => (
              <tr key={of.variable} className={`border-hair border-b align-top ${of === entry ? "bg-wash" : ""}`}>
                <td className="py-1 pr-4">
                  <span className="font-semibold">{of.variable}</span>
                  {of.label !== of.variable && <span className="block font-serif text-soft">{of.label}</span>}
                </td>
                <td className="py-1 pr-4">{of.came ?? <span className="text-soft">none</span>}</td>
                <td className="py-1">
                  <button
                    type="button"
                    aria-label={`Change ${of.variable}`}
                    className="rounded px-1 text-left underline decoration-hair underline-offset-4 hover:bg-wash"
                    onClick={() => choose(of.variable)}
                  >
                    {shown(of)}
                  </button>
                </td>
              </tr>
            ))}
          </tbody>
        </table>
      )}
    </>
  );
}
