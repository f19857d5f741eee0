import { Trash, TreeStructure } from "@phosphor-icons/react";
import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { useNavigate } from "@tanstack/react-router";
import type { Schema } from "../../../api/client";
import { analysisQuery, useChange, useSaved, useSaving } from "../../../api/queries";
import { ActionButton } from "../../../parts/actions";
import { Faults } from "../../../parts/notices";
import { Sub } from "../../../parts/panes";
import { OfSample } from "../of-sample";
import { TakeAway } from "../take-away";
import { ModelForm } from "./model-form";
import { Coefficients, Predictions } from "./model-result";
import { PairsForm, PairsResult } from "./pairs-page";
import {
  type Analysis,
  analysesOf,
  calledOf,
  type Model,
  type ModelFound,
  namesOf,
  PARTS,
  type Pairs,
  type Part,
  ready,
  type Scale,
  type ScaleFound,
} from "./plan";
import { ScaleForm, ScaleResult, ScaleSteps } from "./scale-page";
import { Title } from "./title";

/** An analysis: what it asks for, what it came to, and what that says. */
export function AnalysisInHand({
  part,
  analysis,
  codebook,
}: {
  part: Part;
  analysis: Analysis;
  codebook: Schema["CodebookView"];
}) {
  const study = useSaved();
  const navigate = useNavigate();
  const { change } = useChange();
  const saving = useSaving() !== "saved";
  const saved = analysesOf(study.document, part).find((a) => a.id === analysis.id);
  const { data, error, isFetching, isPlaceholderData } = useQuery({
    ...analysisQuery(study.id, study.edition, part, analysis.id),
    placeholderData: keepPreviousData,
    enabled: saved != null && ready(part, saved),
  });
  const called = calledOf(part, analysis);
  const one = PARTS.find((p) => p.part === part)?.one ?? "analysis";
  const save = (to: Analysis) =>
    change.mutate((document) => ({
      [part]: analysesOf(document, part).map((a) => (a.id === analysis.id ? to : a)),
    }));
  const stale = saving || isPlaceholderData || isFetching;
  const begun = ready(part, analysis);
  return (
    <article>
      <div className="flex items-start gap-1">
        <Title one={one} called={called} take={(title) => save({ ...analysis, title })} />
        <ActionButton
          id="drop-analysis"
          label={`Remove this ${one} from the plan`}
          icon={Trash}
          bare
          look="quiet"
          run={() => {
            change.mutate((document) => ({
              [part]: analysesOf(document, part).filter((a) => a.id !== analysis.id),
              ...(part === "models" && {
                side_by_side: (document.side_by_side ?? []).map((set) => ({
                  ...set,
                  models: (set.models ?? []).filter((id) => id !== analysis.id),
                })),
              }),
            }));
            navigate({ to: "/study/$id/tables/{-$item}", params: { id: study.id, item: undefined } });
          }}
        />
      </div>
      <div className="-ml-2 flex gap-1">
        <ActionButton
          id="analysis-depends"
          label="Sensitivity"
          icon={TreeStructure}
          look="quiet"
          disabled={saved == null}
          run={() =>
            navigate({ to: "/study/$id/tables/{-$item}", params: { id: study.id, item: `_depends.${analysis.id}` } })
          }
        />
        <TakeAway study={study.id} part={part} name={analysis.id} disabled={saved == null || !data || stale} />
      </div>
      {part === "models" && <ModelForm model={analysis as Model} codebook={codebook} save={save} />}
      {part === "reliability" && <ScaleForm scale={analysis as Scale} codebook={codebook} save={save} />}
      {part === "correlations" && <PairsForm pairs={analysis as Pairs} codebook={codebook} save={save} />}
      <div className="border-hair border-b" />
      {!begun && (
        <p className="mt-3 text-soft">
          {part === "models"
            ? "Choose the outcome and what might explain it; the model is fitted at once."
            : "Choose at least two variables; figures are calculated at once."}
        </p>
      )}
      {error && <Faults faults={[{ what: error.message, where: "", mend: "" }]} />}
      {begun && !stale && data && <Faults faults={data.faults} />}
      {begun && !data && stale && (
        <p role="status" className="mt-3 text-soft">
          Calculating …
        </p>
      )}
      {begun && data && (
        <div className={stale ? "fade-late" : ""} aria-busy={stale}>
          <OfSample of={data.of_sample} received={data.received} />
          <Found
            data={data}
            names={part === "correlations" && saved ? namesOf(part, saved) : []}
            refer={(variable, code) => {
              const model = analysis as Model;
              save({ ...model, reference: { ...model.reference, [variable]: code } });
            }}
          />
          {data.reliability && (
            <ScaleSteps
              found={data.reliability as ScaleFound}
              scale={analysis as Scale}
              codebook={codebook}
              save={save}
            />
          )}
          {data.words.length > 0 && (
            <section aria-label="In words" className="max-w-3xl">
              <Sub>In words</Sub>
              <div className="space-y-1 font-serif">
                {data.words.map((text) => (
                  <p key={text}>{text}</p>
                ))}
              </div>
            </section>
          )}
          <footer className="mt-4 max-w-3xl space-y-0.5 text-soft text-xs">
            {data.note.map((line) => (
              <p key={line}>{line}</p>
            ))}
          </footer>
        </div>
      )}
    </article>
  );
}

function Found({
  data,
  names,
  refer,
}: {
  data: Schema["AnalysisView"];
  names: readonly string[];
  refer: (variable: string, code: number) => void;
}) {
  const model = data.model as ModelFound | null;
  if (model) {
    return model.message ? (
      <p role="alert" className="my-3 max-w-3xl border-heed border-l-4 bg-heedwash px-3 py-2">
        {model.message}
      </p>
    ) : (
      <>
        <Predictions model={model} />
        <Sub>Coefficients</Sub>
        <Coefficients model={model} refer={refer} />
      </>
    );
  }
  if (data.reliability) return <ScaleResult scale={data.reliability as ScaleFound} titles={data.titles} />;
  return data.correlations ? <PairsResult result={data.correlations} names={names} /> : null;
}
