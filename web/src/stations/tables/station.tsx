import { useParams, useSearch } from "@tanstack/react-router";
import { Suspense } from "react";
import { useCodebook, useStudy } from "../../api/queries";
import { Empty, Panes } from "../../parts/panes";
import { TABLED } from "../../parts/table-plan";
import { AllTables } from "./all-tables";
import { BesidePage } from "./analyses/beside-page";
import { AnalysisInHand } from "./analyses/in-hand";
import { analysesOf, BESIDE, partOf } from "./analyses/plan";
import { FigureDepends } from "./depends/figure-page";
import { PartDepends } from "./depends/part-page";
import { PlanDepends } from "./depends/plan-page";
import { TableInHand } from "./in-hand";
import { ManyTables } from "./many-tables";
import { ALL_TABLES, DEPENDS, MANY_TABLES, PlanList } from "./plan-list";

export function TablesStation() {
  const study = useStudy();
  const { item } = useParams({ strict: false });
  const { figure, show } = useSearch({ from: "/study/$id/tables/{-$item}" });
  const book = useCodebook();
  const tables = study.document.tables ?? [];
  const current = tables.find((t) => t.id === item) ?? (item ? undefined : tables[0]);
  const other = partOf(item);
  const analysis = other && analysesOf(study.document, other.part).find((a) => a.id === other.id);
  const beside = (study.document.side_by_side ?? []).find((b) => item === `${BESIDE}${b.id}`);
  const tabled = book.variables.some((v) => TABLED.includes(v.variable.kind));
  const hand = () => {
    if (item === ALL_TABLES) return <AllTables codebook={book} />;
    if (item === DEPENDS) return <PlanDepends />;
    if (item?.startsWith(`${DEPENDS}.`)) {
      const id = item.slice(DEPENDS.length + 1);
      if (!figure) return <PartDepends key={id} id={id} />;
      return <FigureDepends key={JSON.stringify([id, figure])} table={id} figure={figure} show={show ?? "decisions"} />;
    }
    if (item === MANY_TABLES) return <ManyTables codebook={book} />;
    if (other && analysis) {
      return <AnalysisInHand key={item} part={other.part} analysis={analysis} codebook={book} />;
    }
    if (beside) return <BesidePage key={item} beside={beside} />;
    if (current) {
      return (
        <Suspense fallback={<p className="text-soft">Calculating …</p>}>
          <TableInHand key={current.id} request={current} codebook={book} />
        </Suspense>
      );
    }
    return (
      <Empty title={other ? "There is no such analysis" : item ? "There is no such table" : "No table yet"}>
        {tabled
          ? "A new table begins with a question; choose its stub and banner next. Or make several at once."
          : "Tables need coded questions or numbers. Apply an answer scale to a question first, in the Codebook."}
      </Empty>
    );
  };
  return (
    <Panes label="Plan of tables" left={<PlanList codebook={book} current={item ?? current?.id} />} right={hand()} />
  );
}
