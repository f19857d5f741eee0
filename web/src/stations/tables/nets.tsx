import { X } from "@phosphor-icons/react";
import { useState } from "react";
import type { Schema } from "../../api/client";
import { ActionButton } from "../../parts/actions";
import { Choice, TextInput } from "../../parts/fields";

type Net = Schema["Net"];

const says = (net: Net) =>
  net.top != null ? `top ${net.top}` : net.bottom != null ? `bottom ${net.bottom}` : (net.codes ?? []).join(", ");

/** Nets: several answers of the stub as one row. */
export function Nets({
  nets,
  stub,
  codebook,
  save,
}: {
  nets: readonly Net[];
  stub: readonly string[];
  codebook: Schema["CodebookView"];
  save: (nets: Net[]) => void;
}) {
  const [label, setLabel] = useState("");
  const [of, setOf] = useState("top 2");
  const first = codebook.variables.find((v) => v.variable.name === stub[0]);
  const answers = first?.answers.filter((a) => a.code != null && a.sort === "answer") ?? [];
  const add = () => {
    const ends = /^(top|bottom) (\d)$/.exec(of);
    const made: Net = ends
      ? { label: label.trim(), [ends[1] as "top" | "bottom"]: Number(ends[2]) }
      : { label: label.trim(), stub: stub[0] ?? null, codes: of.split(",").map(Number) };
    save([...nets, made]);
    setLabel("");
  };
  const pairs = answers.slice(1).map((a, i) => {
    const before = answers[i];
    return [`${before?.code},${a.code}`, `${before?.label} or ${a.label}`] as const;
  });
  const ends = [2, 3].flatMap((k) =>
    answers.length > k
      ? ([
          [`top ${k}`, `the top ${k}`],
          [`bottom ${k}`, `the bottom ${k}`],
        ] as const)
      : [],
  );
  return (
    <div className="flex flex-wrap items-center gap-2 text-sm">
      <span className="font-semibold">Nets</span>
      {nets.map((net, i) => (
        <span key={net.label} className="inline-flex items-center rounded bg-wash pl-2">
          {net.label} <span className="pl-1 text-soft text-xs">{says(net)}</span>
          <ActionButton
            id={`without-net-${net.label}`}
            label={`Without the net ${net.label}`}
            icon={X}
            bare
            look="quiet"
            run={() => save(nets.filter((_, k) => k !== i))}
          />
        </span>
      ))}
      {answers.length > 2 && (
        <>
          <TextInput
            aria-label="Name of the net"
            className="!w-36"
            placeholder="Agree"
            value={label}
            onChange={(e) => setLabel(e.target.value)}
            onKeyDown={(e) => e.key === "Enter" && label.trim() && add()}
          />
          <Choice
            aria-label="Answers of the net"
            className="!w-64"
            value={of}
            onChange={(e) => setOf(e.target.value)}
            options={[...ends, ...pairs]}
          />
          <ActionButton id="add-net" label="Add this net" disabled={!label.trim()} run={add}>
            Add
          </ActionButton>
        </>
      )}
    </div>
  );
}
