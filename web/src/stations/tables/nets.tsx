import { X } from "@phosphor-icons/react";
import { useState } from "react";
import type { Schema } from "../../api/client";
import { ActionButton } from "../../parts/actions";
import { Choice, TextInput, Tick } from "../../parts/fields";
import type { Request } from "../../parts/table-plan";
import { Ticks } from "../../parts/ticks";
import { answersOf } from "./answers";

type Net = Schema["Net"];

const says = (net: Net) =>
  (net.top != null ? `top ${net.top}` : net.bottom != null ? `bottom ${net.bottom}` : (net.codes ?? []).join(", ")) +
  (net.banner ? `, columns of ${net.banner}` : net.stub ? ` of ${net.stub}` : "");

/** Nets: several answers as one row of the stub, or as one column of the banner. */
export function Nets({
  request,
  codebook,
  save,
}: {
  request: Request;
  codebook: Schema["CodebookView"];
  save: (nets: Net[]) => void;
}) {
  const nets = request.nets ?? [];
  const [label, setLabel] = useState("");
  const [of, setOf] = useState("top 2");
  const [codes, setCodes] = useState<number[]>([]);
  const answers = (name: string) => answersOf(codebook, name);
  const stubs = (request.stub ?? []).filter((s) => answers(s).length > 2);
  const banners = [...new Set((request.banner ?? []).flat())].filter((b) => answers(b).length > 2);
  if (!stubs.length && !banners.length && !nets.length) return null;
  const [side, name] = of.split(": ") as [string, string | undefined];
  const ends = /^(top|bottom) (\d)$/.exec(of);
  const ready = label.trim() && (ends || codes.length > 0) && !nets.some((n) => n.label === label.trim());
  const add = () => {
    if (!ready) return;
    const made: Net = ends
      ? { label: label.trim(), [ends[1] as "top" | "bottom"]: Number(ends[2]) }
      : { label: label.trim(), [side === "columns" ? "banner" : "stub"]: name, codes };
    save([...nets, made]);
    setLabel("");
    setCodes([]);
  };
  const options: [string, string][] = [
    ...(stubs.length
      ? ([2, 3].flatMap((k) => [
          [`top ${k}`, `the top ${k} of each question`],
          [`bottom ${k}`, `the bottom ${k} of each question`],
        ]) as [string, string][])
      : []),
    ...stubs.map((s): [string, string] => [`rows: ${s}`, `answers of ${s}`]),
    ...banners.map((b): [string, string] => [`columns: ${b}`, `columns of ${b}`]),
  ];
  return (
    <div className="my-1 flex flex-wrap items-center gap-x-2 gap-y-1 text-sm">
      <span className="font-semibold">Nets</span>
      {nets.map((net, i) => (
        <span key={net.label} className="inline-flex items-center rounded bg-wash pl-2">
          {net.label} <span className="pl-1 text-soft text-xs">{says(net)}</span>
          <ActionButton
            id={`without-net-${net.label}`}
            label={`Remove the net ${net.label}`}
            icon={X}
            bare
            look="quiet"
            run={() => save(nets.filter((_, k) => k !== i))}
          />
        </span>
      ))}
      {options.length > 0 && (
        <>
          <TextInput
            aria-label="Name of the net"
            className="!w-36"
            placeholder="Agree"
            value={label}
            onChange={(e) => setLabel(e.target.value)}
            onKeyDown={(e) => e.key === "Enter" && add()}
          />
          <Choice
            aria-label="Categories of the net"
            className="!w-64"
            value={options.some(([o]) => o === of) ? of : (options[0]?.[0] ?? of)}
            onChange={(e) => {
              setOf(e.target.value);
              setCodes([]);
            }}
            options={options}
          />
          <Ticks className="contents">
            {name != null &&
              answers(name).map((a) => (
                <Tick
                  key={a.code}
                  label={a.label}
                  checked={codes.includes(a.code)}
                  onChange={(e) => setCodes(e.target.checked ? [...codes, a.code] : codes.filter((c) => c !== a.code))}
                />
              ))}
          </Ticks>
          <ActionButton id="add-net" label="Add this net" disabled={!ready} run={add}>
            Add
          </ActionButton>
        </>
      )}
    </div>
  );
}
