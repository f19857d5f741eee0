import {
  ArrowDown,
  ArrowsClockwise,
  ArrowUp,
  ChartBarHorizontal,
  Copy,
  Table as TableIcon,
  Trash,
} from "@phosphor-icons/react";
import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { useNavigate } from "@tanstack/react-router";
import { useRef, useState } from "react";
import type { Schema } from "../../api/client";
import { tableQuery, useChange, useStudy } from "../../api/queries";
import { ActionButton } from "../../parts/actions";
import { TextInput } from "../../parts/fields";
import { Faults } from "../../parts/notices";
import { Behind } from "./behind";
import { Builder } from "./builder";
import { casesOf } from "./cases";
import { Fold } from "./fold";
import { InWords } from "./in-words";
import { Page } from "./page";
import { Pictures } from "./pictures/pictures";
import { type Request, shifted } from "./plan";
import { Shown, saysShown } from "./shown";
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

/** The newest figures of a table; where there are none, or not yet, those from before, and why. */
function useTable(study: Schema["StudyView"], id: string) {
  const { data, isPlaceholderData, error, refetch, isFetching } = useQuery({
    ...tableQuery(study.id, study.edition, id),
    placeholderData: keepPreviousData,
  });
  const last = useRef<Schema["TableView"] | null>(null);
  const counted = data?.grid && data.result ? data : null;
  if (counted && !isPlaceholderData) last.current = counted;
  const view = counted ?? last.current;
  const stale = view != null && (isPlaceholderData || view !== data || error != null);
  return { view, stale, faults: data?.faults ?? [], error, refetch, counting: isPlaceholderData || isFetching };
}

/** The table in hand: what it asks for, the table itself, and what is behind a figure. */
export function TableInHand({ request, codebook }: { request: Request; codebook: Schema["CodebookView"] }) {
  const study = useStudy();
  const navigate = useNavigate();
  const { change } = useChange();
  const { view, stale, faults, error, refetch, counting } = useTable(study, request.id);
  const [cell, setCell] = useState<Schema["Cell"] | null>(null);
  const beside = request.beside ?? ["se", "interval"];
  const [pictured, setPictured] = useState(false);
  const tables = study.document.tables ?? [];
  const groups = [...new Set(tables.map((t) => t.group).filter((g): g is string => !!g))];
  const save = (parts: Partial<Request>) =>
    change.mutate((document) => ({
      tables: (document.tables ?? []).map((t) => (t.id === request.id ? { ...t, ...parts } : t)),
    }));
  const notes = [...(view?.grid?.notes ?? []), ...(view?.note ?? [])];
  const redisplay = (display: Schema["Display"]) => save({ display });
  const go = (item: string | undefined) =>
    navigate({ to: "/study/$id/tables/{-$item}", params: { id: study.id, item } });
  const shift = (by: -1 | 1) =>
    change.mutate((document) => ({ tables: shifted(document.tables ?? [], request.id, by) }));
  return (
    <article>
      <div className="flex items-start gap-1">
        <h1 className="grow">
          <textarea
            key={request.title}
            rows={1}
            aria-label="Title of the table"
            defaultValue={request.title ?? request.id}
            onKeyDown={(e) => {
              if (e.key === "Enter") {
                e.preventDefault();
                e.currentTarget.blur();
              }
            }}
            onBlur={(e) =>
              e.target.value.trim() !== (request.title ?? request.id) && save({ title: e.target.value.trim() || null })
            }
            className="field-sizing-content w-full resize-none rounded bg-transparent font-serif text-2xl leading-snug hover:bg-wash"
          />
        </h1>
        <TextInput
          key={request.group ?? ""}
          aria-label="Heading in the plan"
          placeholder="under no heading"
          list="headings-of-the-plan"
          className="!w-40"
          defaultValue={request.group ?? ""}
          onKeyDown={(e) => e.key === "Enter" && e.currentTarget.blur()}
          onBlur={(e) =>
            e.target.value.trim() !== (request.group ?? "") && save({ group: e.target.value.trim() || null })
          }
        />
        <datalist id="headings-of-the-plan">
          {groups.map((g) => (
            <option key={g} value={g} />
          ))}
        </datalist>
        <ActionButton
          id="table-up"
          label="Further up in the plan"
          icon={ArrowUp}
          bare
          look="quiet"
          run={() => shift(-1)}
        />
        <ActionButton
          id="table-down"
          label="Further down in the plan"
          icon={ArrowDown}
          bare
          look="quiet"
          run={() => shift(1)}
        />
        <ActionButton
          id="copy-table"
          label="Copy this table"
          icon={Copy}
          bare
          look="quiet"
          run={() => {
            let id = `${request.id}-copy`;
            while (tables.some((t) => t.id === id)) id += "-copy";
            change
              .mutateAsync((document) => ({
                tables: (document.tables ?? []).flatMap((t) => (t.id === request.id ? [t, { ...t, id }] : [t])),
              }))
              .then(
                () => go(id),
                () => {},
              );
          }}
        />
        <ActionButton
          id="drop-table"
          label="Take this table out of the plan"
          icon={Trash}
          bare
          look="quiet"
          run={() => {
            change
              .mutateAsync((document) => ({ tables: (document.tables ?? []).filter((t) => t.id !== request.id) }))
              .then(
                () => go(undefined),
                () => {},
              );
          }}
        />
      </div>
      <Builder request={request} codebook={codebook} save={save} busy={change.isPending} />
      {view?.result && (
        <Fold id="shown" title="Rows and columns" says={saysShown(request.display ?? {})}>
          <Shown result={view.result} request={request} redisplay={redisplay} />
        </Fold>
      )}
      <div className="flex gap-1 border-hair border-y py-0.5">
        <ActionButton
          id="show-picture"
          label={pictured ? "Show the table" : "Show it as a picture"}
          keys="p"
          icon={pictured ? TableIcon : ChartBarHorizontal}
          run={() => setPictured(!pictured)}
        >
          {pictured ? "Table" : "Picture"}
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
      </div>
      {!view && counting && (
        <p role="status" className="mt-3 text-soft">
          Counting …
        </p>
      )}
      {error && <Faults faults={[{ what: error.message, where: "", mend: "" }]} />}
      {faults.length > 0 && <Faults faults={faults} />}
      {(faults.length > 0 || error) && !counting && (
        <ActionButton id="count-again" label="Count again" icon={ArrowsClockwise} run={() => refetch()} />
      )}
      {stale && (
        <p role="status" className="my-1 border-heed border-l-4 pl-2 text-sm" data-stale>
          Out of date: these figures are from before the last change{counting ? "; they are being counted anew." : "."}
        </p>
      )}
      {view?.grid && view.result && (
        <div className={stale ? "opacity-60" : ""} aria-busy={counting}>
          {pictured ? (
            <Pictures result={view.result} grid={view.grid} notes={notes} request={request} save={save} />
          ) : (
            <Page view={view} chosen={cell} choose={setCell} display={request.display ?? {}} redisplay={redisplay} />
          )}
          {cell && (
            <Behind
              cell={cell}
              interval={request.interval}
              result={view.result}
              compared={view.compared ?? []}
              cases={casesOf(request, study.document.where, codebook, cell)}
              close={() => setCell(null)}
            />
          )}
          <Tests result={view.result} />
          <InWords words={view.words ?? []} />
          <footer className="mt-4 max-w-3xl space-y-0.5 text-soft text-xs">
            {notes.map((line) => (
              <p key={line}>{line}</p>
            ))}
          </footer>
        </div>
      )}
    </article>
  );
}
