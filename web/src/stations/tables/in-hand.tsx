import { ArrowsClockwise, ChartBarHorizontal, PushPin, Table as TableIcon, TreeStructure } from "@phosphor-icons/react";
import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { useNavigate } from "@tanstack/react-router";
import { useRef, useState } from "react";
import type { Schema } from "../../api/client";
import { tableQuery, useChange, useSaved, useSaving, useStudy } from "../../api/queries";
import { useVocabulary } from "../../api/vocabulary";
import { ActionButton } from "../../parts/actions";
import { Faults } from "../../parts/notices";
import { laid, recipesOf } from "../../parts/recipes";
import { asked, type Request } from "../../parts/table-plan";
import { Behind } from "./behind";
import { Builder } from "./builder";
import { casesOf } from "./cases";
import { ContrastDraft, ContrastForm, Contrasts, type Term, withTerm } from "./contrasts";
import { Fold } from "./fold";
import { Header } from "./header";
import { InWords } from "./in-words";
import { OfSample } from "./of-sample";
import { Page } from "./page";
import { Pictures } from "./pictures/pictures";
import { pin, usePins } from "./pinned";
import { RecipeOfTable } from "./recipe";
import { Shown, saysShown } from "./shown";
import { TakeAway } from "./take-away";
import { Tests } from "./tests";

type Beside = NonNullable<Request["beside"]>[number];

/** What can stand beside each figure, and the key that shows or hides it. */
const BESIDE: readonly (readonly [Beside, string, string?])[] = [
  ["se", "standard errors", "e"],
  ["interval", "intervals", "i"],
  ["rse", "relative errors"],
  ["deff", "design effects"],
  ["effective", "effective bases"],
];

/** Which figure of a table a cell is. */
const placeOf = (cell: Schema["Cell"]) => JSON.stringify([cell.stub, cell.banner, cell.stat]);

/** The newest figures of a table; where there are none, or not yet, those from before, and why. */
function useTable(study: Schema["StudyView"], id: string) {
  const saving = useSaving() !== "saved";
  // A table that was asked for and is not saved yet cannot be counted.
  const there = study.document.tables?.some((t) => t.id === id) ?? false;
  const { data, isPlaceholderData, error, refetch, isFetching } = useQuery({
    ...tableQuery(study.id, study.edition, id),
    placeholderData: keepPreviousData,
    enabled: there,
  });
  const last = useRef<Schema["TableView"] | null>(null);
  const counted = data?.grid && data.result ? data : null;
  if (counted && !isPlaceholderData) last.current = counted;
  const view = counted ?? last.current;
  const counting = !there || saving || isPlaceholderData || isFetching;
  const stale = view != null && (saving || isPlaceholderData || view !== data || error != null);
  return { view, stale, faults: data?.faults ?? [], error, refetch, counting, there };
}

/** The table in hand: what it asks for, the table itself, and what is behind a figure. */
export function TableInHand({ request: own, codebook }: { request: Request; codebook: Schema["CodebookView"] }) {
  const study = useSaved();
  const recipes = recipesOf(useStudy().document, useVocabulary().recipes);
  const request = laid(own, recipes);
  const navigate = useNavigate();
  const { change } = useChange();
  // Figures, and the cases behind them, are of what is saved.
  const kept = study.document.tables?.find((t) => t.id === own.id);
  const saved = kept ? laid(kept, recipes) : request;
  const { view, stale, faults, error, refetch, counting, there } = useTable(study, request.id);
  const beside = request.beside ?? ["se", "interval"];
  const [chosen, choose] = useState<string | null>(null);
  // A figure is chosen by its place: counted anew, what is behind it is new too.
  const cell = view?.result?.cells.find((c) => placeOf(c) === chosen);
  const pins = usePins(study.id, request.id);
  const [pictured, setPictured] = useState(false);
  const save = (parts: Partial<Request>) =>
    change.mutate((document) => ({
      tables: (document.tables ?? []).map((t) => (t.id === request.id ? asked(t, parts, codebook.variables) : t)),
    }));
  // The contrast in the making is this table's own.
  const [draft, setDraft] = useState<{ of: string; terms: readonly Term[] }>({ of: request.id, terms: [] });
  const contrasting = {
    terms: draft.of === request.id ? draft.terms : [],
    setTerms: (terms: Term[]) => setDraft({ of: request.id, terms }),
    contrasts: request.contrasts ?? [],
    take: (contrasts: NonNullable<Request["contrasts"]>) => save({ contrasts }),
  };
  const begun = (request.stub ?? []).length > 0;
  const notes = [...(view?.grid?.notes ?? []), ...(view?.note ?? [])];
  const redisplay = (display: Schema["Display"]) => save({ display });
  return (
    <article>
      <Header request={request} save={save} />
      <Builder
        request={request}
        where={saved.where}
        codebook={codebook}
        save={save}
        recipe={<RecipeOfTable own={own} />}
      />
      {view?.result && (
        <Fold id="shown" title="Rows and columns" says={saysShown(request.display ?? {})}>
          <Shown result={view.result} request={request} redisplay={redisplay} />
        </Fold>
      )}
      {view?.result && view.result.banners.length > 0 && (
        <Fold
          id="contrasts"
          title="Contrasts"
          says={(request.contrasts ?? []).map((c) => c.label).join(", ") || "none"}
        >
          <ContrastForm result={view.result} pointed={cell != null} {...contrasting} />
        </Fold>
      )}
      <div className="flex flex-wrap border-hair border-y py-0.5 [&_button]:whitespace-nowrap">
        <ActionButton
          id="show-picture"
          label={pictured ? "Show the table" : "Show as chart"}
          keys="p"
          icon={pictured ? TableIcon : ChartBarHorizontal}
          run={() => setPictured(!pictured)}
        >
          {pictured ? "Table" : "Chart"}
        </ActionButton>
        {BESIDE.map(([what, label, keys]) => {
          const on = beside.includes(what);
          return (
            <ActionButton
              key={what}
              id={`beside-${what}`}
              label={`${on ? "Hide" : "Show"} ${label}`}
              keys={keys}
              pressed={on}
              look="quiet"
              run={() =>
                save({ beside: BESIDE.map(([b]) => b).filter((b) => (b === what ? !on : beside.includes(b))) })
              }
            >
              {`${on ? "✓ " : ""}${label}`}
            </ActionButton>
          );
        })}
        <ActionButton
          id="table-depends"
          label="What the table depends on"
          icon={TreeStructure}
          look="quiet"
          disabled={!there}
          run={() =>
            navigate({ to: "/study/$id/tables/{-$item}", params: { id: study.id, item: `_depends.${request.id}` } })
          }
        >
          Depends on
        </ActionButton>
        <ActionButton
          id="pin-table"
          label={pins ? "Unpin the figures" : "Pin the figures: what changes stands beside them"}
          icon={PushPin}
          look="quiet"
          pressed={pins != null}
          disabled={!pins && (!view?.grid || stale)}
          run={() => pin(study.id, request.id, pins ? null : view)}
        >
          {pins ? "Pinned" : "Pin"}
        </ActionButton>
        <TakeAway study={study.id} part="tables" name={request.id} disabled={!view?.grid || stale} />
        {stale && counting && (
          <span role="status" className="appear-late ml-auto self-center text-sm text-soft" data-stale>
            Out of date; waiting for new figures.
          </span>
        )}
      </div>
      {!begun && <p className="mt-3 text-soft">Choose the stub; the table is calculated at once.</p>}
      {!view && counting && begun && (
        <p role="status" className="mt-3 text-soft">
          {there ? "Calculating …" : "Calculated once saved."}
        </p>
      )}
      {error && <Faults faults={[{ what: error.message, where: "", mend: "" }]} />}
      {begun && faults.length > 0 && <Faults faults={faults} />}
      {begun && (faults.length > 0 || error) && !counting && (
        <ActionButton id="count-again" label="Count again" icon={ArrowsClockwise} run={() => refetch()} />
      )}
      {stale && !counting && (
        <p role="status" className="my-1 border-heed border-l-4 pl-2 text-sm" data-stale>
          Out of date: these figures are from before the last change.
        </p>
      )}
      {view?.grid && view.result && (
        // A wide window shows what is said of the table beside it.
        <div
          className={`min-[1600px]:grid min-[1600px]:grid-cols-[minmax(0,auto)_minmax(22rem,1fr)] min-[1600px]:gap-x-10 ${stale ? "fade-late" : ""}`}
          aria-busy={counting}
        >
          <div className="min-w-0">
            <OfSample of={view.of_sample} received={view.received} />
            {pictured ? (
              <Pictures result={view.result} grid={view.grid} notes={notes} request={request} save={save} />
            ) : (
              <Page
                view={view}
                chosen={cell}
                choose={(c) => choose(placeOf(c))}
                display={request.display ?? {}}
                redisplay={redisplay}
                pins={pins}
              />
            )}
            {cell && (
              <Behind
                cell={cell}
                interval={saved.interval}
                result={view.result}
                compared={view.compared ?? []}
                table={request.id}
                cases={casesOf(saved, study.document.where, codebook, cell)}
                contrast={(at, times) => contrasting.setTerms(withTerm(contrasting.terms, at, times))}
                drafted={contrasting.terms.length > 0 && <ContrastDraft result={view.result} {...contrasting} />}
                close={() => choose(null)}
              />
            )}
          </div>
          <div>
            <Tests tests={view.grid.tests ?? []} />
            <Contrasts result={view.result} />
            <InWords words={view.words ?? []} />
            <footer className="mt-4 max-w-3xl space-y-0.5 text-soft text-xs">
              {notes.map((line) => (
                <p key={line}>{line}</p>
              ))}
            </footer>
          </div>
        </div>
      )}
    </article>
  );
}
