import { Plus } from "@phosphor-icons/react";
import { Link, useNavigate, useParams } from "@tanstack/react-router";
import type { ReactNode } from "react";
import type { Schema } from "../../api/client";
import { useCodebook, useDesign, useStudy, useWeightings } from "../../api/queries";
import { ActionButton } from "../../parts/actions";
import { plural } from "../../parts/figures";
import { Empty, Panes, Sub } from "../../parts/panes";
import { DesignForm } from "./design";
import { Health } from "./health";
import { MarginInHand } from "./margin";
import { NewMargin } from "./new-margin";

export type Weighting = Schema["Weighting"];
export const FRESH: Weighting = { base: null, margins: [], scale_to: "cases", save_as: "weight" };

function Entry({ item, current, title, says }: { item?: string; current: boolean; title: ReactNode; says: ReactNode }) {
  const study = useStudy();
  return (
    <li>
      <Link
        to="/study/$id/weighting/{-$item}"
        params={{ id: study.id, item }}
        aria-current={current ? "true" : undefined}
        className={`block rounded px-2 py-1.5 hover:bg-wash ${current ? "bg-wash" : ""}`}
      >
        <span className="block font-serif">{title}</span>
        <span className="text-soft text-sm">{says}</span>
      </Link>
    </li>
  );
}

export function WeightingStation() {
  const study = useStudy();
  const navigate = useNavigate();
  const { item } = useParams({ strict: false });
  const book = useCodebook();
  const reports = useWeightings();
  const design = useDesign();
  const weighting = study.document.weightings?.[0] ?? FRESH;
  const margins = weighting.margins ?? [];
  const report = reports.reports[0];
  const at = item?.startsWith("margin-") ? Number(item.slice(7)) : null;
  const margin = at == null ? undefined : margins[at];
  const met = (i: number) => {
    const rows = report?.margins[i]?.rows;
    if (!rows) return "not raked";
    const gap = Math.max(...rows.map((r) => Math.abs(r.after - r.target)));
    return gap < 1e-6 ? "met" : "not met";
  };
  return (
    <Panes
      label="Weights and design"
      left={
        <>
          <Sub>Weights</Sub>
          <ul>
            <Entry
              current={!item}
              title="Base weight and result"
              says={
                report
                  ? `from ${typeof weighting.base === "string" ? weighting.base : "1 for every case"}; ${report.cycles} cycles`
                  : "no weights yet"
              }
            />
            {margins.map((m, i) => (
              <Entry
                key={m.by.join("×")}
                item={`margin-${i}`}
                current={item === `margin-${i}`}
                title={m.by.join(" × ")}
                says={`${plural(m.targets.length, "target")}, in ${m.as ?? "shares"}; ${met(i)}`}
              />
            ))}
          </ul>
          <ActionButton
            id="new-margin"
            label="New margin"
            icon={Plus}
            run={() => navigate({ to: "/study/$id/weighting/{-$item}", params: { id: study.id, item: "new" } })}
          />
          <Sub>Sample design</Sub>
          <ul>
            <Entry
              item="design"
              current={item === "design"}
              title="Strata, clusters, weight"
              says={
                design.psus == null
                  ? "does not fit yet"
                  : `${plural(design.strata ?? 0, "stratum", "strata")}, ${plural(design.psus, "first-stage unit")}, ${plural(design.degrees_of_freedom ?? 0, "degree")} of freedom`
              }
            />
          </ul>
        </>
      }
      right={
        item === "design" ? (
          <DesignForm view={design} codebook={book} />
        ) : item === "new" ? (
          <NewMargin weighting={weighting} codebook={book} />
        ) : margin && at != null ? (
          <MarginInHand
            key={`${at}-${margin.by.join()}`}
            at={at}
            margin={margin}
            weighting={weighting}
            codebook={book}
            report={report}
            faults={reports.faults}
          />
        ) : item ? (
          <Empty title="There is no such margin">Choose one on the left.</Empty>
        ) : (
          <Health weighting={weighting} codebook={book} report={report} faults={reports.faults} />
        )
      }
    />
  );
}
