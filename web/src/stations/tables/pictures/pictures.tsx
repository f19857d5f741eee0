import { Download } from "@phosphor-icons/react";
import { type ReactNode, useRef, useState } from "react";
import type { Schema } from "../../../api/client";
import { useChange, useCodebook, useStudy } from "../../../api/queries";
import { ActionButton } from "../../../parts/actions";
import { Choice, Tick } from "../../../parts/fields";
import type { Request } from "../../../parts/table-plan";
import { Bars, ByGroup } from "./bars";
import { ByAnswer } from "./by-answer";
import { BOX_STATS, middleOf } from "./data";
import { drawnIn, type FileKind, keepPictures } from "./files";
import { Boxes, Means } from "./numbers";
import { madeUp, ofBattery, ofStubs, type Part } from "./parts";

type Kind = "diverging" | "stacked" | "made" | "grouped" | "groups" | "dots" | "means" | "boxes";

const FILES: readonly FileKind[] = ["svg", "png", "pdf"];

/** Rows as a picture of one kind; null where there is nothing to draw. */
function drawing(part: Part, kind: Kind, midpoint: number | null | undefined): ReactNode {
  const { rows, answers } = part;
  if (kind === "boxes") return rows.some((r) => r.box) ? <Boxes rows={rows} /> : null;
  if (kind === "means") return rows.some((r) => r.mean) ? <Means rows={rows} /> : null;
  if (!rows.some((r) => r.shares.length)) return rows.some((r) => r.mean) ? <Means rows={rows} /> : null;
  if (kind === "grouped" || kind === "dots") return <ByAnswer answers={answers} rows={rows} dots={kind === "dots"} />;
  if (kind === "groups") return <ByGroup answers={answers} rows={rows} />;
  const codes = answers.map((a) => a.code);
  return <Bars answers={answers} rows={rows} middle={kind === "diverging" ? middleOf(codes, midpoint) : null} />;
}

const KINDS: readonly (readonly [Kind, string])[] = [
  ["diverging", "diverging stacked bars"],
  ["stacked", "bars of all answers"],
  ["made", "bars of who gives each answer"],
  ["grouped", "bars by answer, with intervals"],
  ["groups", "bars by group, with intervals"],
  ["dots", "dots with intervals"],
  ["means", "means with intervals"],
  ["boxes", "boxes: quartiles and median"],
];

/** The table as pictures, one for each stub variable or for each part of a battery; or one for each of its items. */
export function Pictures({
  result,
  grid,
  notes,
  request,
  save,
}: {
  result: Schema["TableResult"];
  grid: Schema["Grid"];
  notes: readonly string[];
  request: Request;
  save: (parts: Partial<Request>) => void;
}) {
  const study = useStudy();
  const codebook = useCodebook();
  const { refuse } = useChange();
  const box = useRef<HTMLElement>(null);
  const [each, setEach] = useState(false);
  const [noted, setNoted] = useState(true);
  const [kind, setKind] = useState<Kind | null>(null);
  const scaleOf = (variable: string) => {
    const scale = codebook.variables.find((v) => v.variable.name === variable)?.variable.scale;
    return scale ? codebook.scales[scale] : undefined;
  };
  const ordered = result.stubs.some((s) => scaleOf(s.variable)?.ordered);
  const coded = result.stubs.some((s) => s.categories.length > 0);
  const numeric = result.stubs.some((s) => s.kind === "coded" || s.kind === "number");
  const several = result.stubs.some((s) => s.kind === "multi");
  const fits: Record<Kind, boolean> = {
    diverging: ordered && !several,
    stacked: coded && !several,
    made: coded && result.banners.length > 0 && !grid.battery,
    grouped: coded,
    groups: coded,
    dots: coded,
    means: numeric,
    boxes: numeric,
  };
  const kinds = KINDS.filter(([k]) => fits[k]);
  const shown = kinds.some(([k]) => k === kind) ? (kind as Kind) : (kinds[0]?.[0] ?? "dots");
  const parts: Part[] =
    shown === "made"
      ? madeUp(result)
      : grid.battery && !each
        ? ofBattery(result, grid)
        : ofStubs(result, request.display?.total_column ?? true);
  const drawn = parts.map((part) => ({
    part,
    picture: part.rows.length ? drawing(part, shown, scaleOf(part.variable)?.midpoint) : null,
  }));
  const there = drawn.filter((d) => d.picture);
  const said = [`${study.document.title}, the table “${request.title ?? request.id}”.`, ...(noted ? notes : [])];
  const keep = (parts: readonly Part[], as: FileKind) => {
    const pictures = parts.flatMap(({ name, title }) => {
      const svg = box.current?.querySelector<SVGSVGElement>(`[data-picture="${CSS.escape(name)}"] svg`);
      return svg ? [{ name, title, notes: said, ...drawnIn(svg) }] : [];
    });
    keepPictures(pictures, as).catch(refuse);
  };
  return (
    <section aria-label="Charts" ref={box}>
      <div className="flex flex-wrap items-center gap-1 pt-1">
        <Choice
          aria-label="Kind of chart"
          className="!w-72"
          value={shown}
          options={kinds}
          onChange={(e) => setKind(e.target.value as Kind)}
        />
        {grid.battery && (
          <ActionButton
            id="each-item"
            label={each ? "All items in one chart" : "One chart per item"}
            look="quiet"
            pressed={each}
            run={() => setEach(!each)}
          />
        )}
        <Tick label="files with the table's notes" checked={noted} onChange={(e) => setNoted(e.target.checked)} />
        {there.length > 1 && (
          <span className="flex items-center pl-4 text-sm">
            All {there.length} as
            {FILES.map((as) => (
              <ActionButton
                key={as}
                id={`all-${as}`}
                label={`Save all pictures as ${as.toUpperCase()}`}
                look="quiet"
                run={() =>
                  keep(
                    there.map((d) => d.part),
                    as,
                  )
                }
              >
                {as.toUpperCase()}
              </ActionButton>
            ))}
          </span>
        )}
      </div>
      {drawn.map(({ part, picture }) => (
        <figure key={part.name} className="my-3">
          <figcaption className="mb-1 max-w-3xl font-semibold font-serif">{part.title}</figcaption>
          <div data-picture={part.name}>
            {picture ?? (
              <p className="text-soft">
                {shown === "boxes"
                  ? "Boxes are drawn from quartiles, which this table does not show yet."
                  : shown === "made"
                    ? "Who gives each answer is drawn from row %, which this table does not show yet."
                    : "A chart needs column % or means, and figures that are not suppressed."}
                {shown === "made" && (
                  <ActionButton
                    id={`add-rows-${part.name}`}
                    label="Add row % to this table"
                    run={() =>
                      save({ show: [...new Set([...(request.show ?? ["n", "col_pct"]), "row_pct" as const])] })
                    }
                  />
                )}
                {shown === "boxes" && (
                  <ActionButton
                    id={`add-quartiles-${part.name}`}
                    label="Add the quartiles to this table"
                    run={() => save({ show: [...new Set([...(request.show ?? ["n", "col_pct"]), ...BOX_STATS])] })}
                  />
                )}
              </p>
            )}
          </div>
          {picture && (
            <span className="flex items-center text-soft text-sm">
              <Download size={16} aria-hidden />
              {FILES.map((as) => (
                <ActionButton
                  key={as}
                  id={`${as}-${part.name}`}
                  label={`Save the picture ${part.name} as ${as.toUpperCase()}`}
                  look="quiet"
                  run={() => keep([part], as)}
                >
                  {as.toUpperCase()}
                </ActionButton>
              ))}
            </span>
          )}
        </figure>
      ))}
    </section>
  );
}
