import { FileImage, FileSvg } from "@phosphor-icons/react";
import { useRef, useState } from "react";
import type { Schema } from "../../api/client";
import { useChange, useCodebook } from "../../api/queries";
import { ActionButton } from "../../parts/actions";
import { Choice } from "../../parts/fields";
import { Bars, ByAnswer, Means } from "./drawings";
import { middleOf, type Row, rowsOf } from "./picture-data";

type Kind = "diverging" | "stacked" | "grouped" | "dots";

function handOver(blob: Blob, name: string) {
  const link = document.createElement("a");
  link.href = URL.createObjectURL(blob);
  link.download = name;
  link.click();
  setTimeout(() => URL.revokeObjectURL(link.href), 10_000);
}

/** The drawing as a file: as it stands, or as points, three to one. */
async function save(svg: SVGSVGElement, name: string, kind: "svg" | "png") {
  const text = new XMLSerializer().serializeToString(svg);
  if (kind === "svg") return handOver(new Blob([text], { type: "image/svg+xml" }), `${name}.svg`);
  const image = new Image();
  image.src = `data:image/svg+xml;charset=utf-8,${encodeURIComponent(text)}`;
  await image.decode();
  const canvas = document.createElement("canvas");
  canvas.width = 3 * svg.viewBox.baseVal.width;
  canvas.height = 3 * svg.viewBox.baseVal.height;
  canvas.getContext("2d")?.drawImage(image, 0, 0, canvas.width, canvas.height);
  const points = await new Promise<Blob | null>((done) => canvas.toBlob(done, "image/png"));
  if (points) handOver(points, `${name}.png`);
}

/** Rows as a picture, that can be saved. */
function Drawn({
  name,
  title,
  rows,
  kind,
  midpoint,
}: {
  name: string;
  title: string;
  rows: readonly Row[];
  kind: Kind;
  midpoint: number | null | undefined;
}) {
  const box = useRef<HTMLDivElement>(null);
  const { refuse } = useChange();
  const codes = rows[0]?.shares.map((s) => s.code) ?? [];
  const middle = kind === "diverging" ? middleOf(codes, midpoint) : null;
  const keep = (as: "svg" | "png") => {
    const svg = box.current?.querySelector("svg");
    if (svg) save(svg, name, as).catch(refuse);
  };
  return (
    <figure className="my-3">
      <figcaption className="mb-1 max-w-3xl font-semibold font-serif">{title}</figcaption>
      <div ref={box}>
        {!codes.length ? (
          rows.length ? (
            <Means rows={rows} />
          ) : (
            <p className="text-soft">A picture needs column % or means: tick them above.</p>
          )
        ) : kind === "grouped" || kind === "dots" ? (
          <ByAnswer rows={rows} dots={kind === "dots"} />
        ) : (
          <Bars rows={rows} middle={middle} />
        )}
      </div>
      {rows.length > 0 && (
        <>
          <ActionButton
            id={`svg-${name}`}
            label={`Save the picture ${name} as SVG`}
            icon={FileSvg}
            look="quiet"
            run={() => keep("svg")}
          >
            SVG
          </ActionButton>
          <ActionButton
            id={`png-${name}`}
            label={`Save the picture ${name} as PNG`}
            icon={FileImage}
            look="quiet"
            run={() => keep("png")}
          >
            PNG
          </ActionButton>
        </>
      )}
    </figure>
  );
}

const KINDS: readonly (readonly [Kind, string])[] = [
  ["diverging", "bars around the middle"],
  ["stacked", "bars of all answers"],
  ["grouped", "bars by answer, with intervals"],
  ["dots", "dots with intervals"],
];

/** The items of a battery as rows of one picture, one picture for everybody and for each column. */
function ofBattery(result: Schema["TableResult"], grid: Schema["Grid"]) {
  return grid.sections.map((section) => {
    const at = JSON.stringify((section.path ?? []).map((b) => b.code));
    const rows = section.lines
      .filter((l) => l.strong && l.variable)
      .flatMap((l) => {
        const all = rowsOf(result, l.variable as string);
        const row = all.find((r) => JSON.stringify(r.codes) === at);
        return row ? [{ ...row, label: l.category, group: "" }] : [];
      });
    return { title: section.title, rows };
  });
}

/** The table as pictures, one for each stub variable or for each part of a battery. */
export function Pictures({ result, grid }: { result: Schema["TableResult"]; grid: Schema["Grid"] }) {
  const codebook = useCodebook();
  const scaleOf = (variable: string) => {
    const scale = codebook.variables.find((v) => v.variable.name === variable)?.variable.scale;
    return scale ? codebook.scales[scale] : undefined;
  };
  const ordered = result.stubs.some((s) => scaleOf(s.variable)?.ordered);
  const several = result.stubs.some((s) => s.kind === "multi");
  const kinds = KINDS.filter(
    ([k]) => (k !== "diverging" || ordered) && !(several && (k === "diverging" || k === "stacked")),
  );
  const [kind, setKind] = useState<Kind | null>(null);
  const shown = kinds.some(([k]) => k === kind) ? (kind as Kind) : (kinds[0]?.[0] ?? "dots");
  const first = result.stubs[0]?.variable ?? "";
  const drawn = grid.battery
    ? ofBattery(result, grid).map((part, i) => ({ ...part, name: `${result.id}-${i + 1}`, variable: first }))
    : result.stubs.map((s) => ({
        name: `${result.id}-${s.variable}`,
        title: s.title,
        variable: s.variable,
        rows: rowsOf(result, s.variable).filter((r) => r.shares.length || r.mean),
      }));
  return (
    <section aria-label="Pictures">
      <Choice
        aria-label="Kind of picture"
        className="!w-72"
        value={shown}
        options={kinds}
        onChange={(e) => setKind(e.target.value as Kind)}
      />
      {drawn.map((d) => (
        <Drawn
          key={d.name}
          name={d.name}
          title={d.title}
          rows={d.rows}
          kind={shown}
          midpoint={scaleOf(d.variable)?.midpoint}
        />
      ))}
    </section>
  );
}
