import { ChartBarHorizontal, Copy, Table as TableIcon, Trash } from "@phosphor-icons/react";
import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { useNavigate } from "@tanstack/react-router";
import { useState } from "react";
import type { Schema } from "../../api/client";
import { tableQuery, useChange, useStudy } from "../../api/queries";
import { ActionButton } from "../../parts/actions";
import { Faults } from "../../parts/notices";
import { Behind } from "./behind";
import { Builder } from "./builder";
import { InWords } from "./in-words";
import { Page } from "./page";
import { Pictures } from "./picture";
import type { Request } from "./station";
import { Tests } from "./tests";

/** The table in hand: what it asks for, the table itself, and what is behind a figure. */
export function TableInHand({ request, codebook }: { request: Request; codebook: Schema["CodebookView"] }) {
  const study = useStudy();
  const navigate = useNavigate();
  const { change } = useChange();
  const { data, isPlaceholderData, error } = useQuery({
    ...tableQuery(study.id, study.edition, request.id),
    placeholderData: keepPreviousData,
  });
  const [cell, setCell] = useState<Schema["Cell"] | null>(null);
  const [errors, setErrors] = useState(true);
  const [limits, setLimits] = useState(true);
  const [pictured, setPictured] = useState(false);
  const tables = study.document.tables ?? [];
  const save = (parts: Partial<Request>) =>
    change.mutate({ tables: tables.map((t) => (t.id === request.id ? { ...t, ...parts } : t)) });
  const go = (item: string | undefined) =>
    navigate({ to: "/study/$id/tables/{-$item}", params: { id: study.id, item } });
  return (
    <article>
      <div className="flex items-start gap-1">
        <h1 className="grow">
          <input
            key={request.title}
            aria-label="Title of the table"
            defaultValue={request.title ?? request.id}
            onKeyDown={(e) => e.key === "Enter" && e.currentTarget.blur()}
            onBlur={(e) =>
              e.target.value.trim() !== (request.title ?? request.id) && save({ title: e.target.value.trim() || null })
            }
            className="w-full rounded bg-transparent font-serif text-2xl hover:bg-wash"
          />
        </h1>
        <ActionButton
          id="copy-table"
          label="Copy this table"
          icon={Copy}
          bare
          look="quiet"
          run={() => {
            let id = `${request.id}-copy`;
            while (tables.some((t) => t.id === id)) id += "-copy";
            change.mutateAsync({ tables: [...tables, { ...request, id }] }).then(
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
            change.mutateAsync({ tables: tables.filter((t) => t.id !== request.id) }).then(
              () => go(undefined),
              () => {},
            );
          }}
        />
      </div>
      <Builder request={request} codebook={codebook} save={save} busy={change.isPending} />
      <div className="flex gap-1 border-hair border-b pb-1">
        <ActionButton
          id="show-picture"
          label={pictured ? "Show the table" : "Show it as a picture"}
          keys="p"
          icon={pictured ? TableIcon : ChartBarHorizontal}
          run={() => setPictured(!pictured)}
        >
          {pictured ? "Table" : "Picture"}
        </ActionButton>
        <ActionButton
          id="show-errors"
          label={errors ? "Hide standard errors" : "Show standard errors"}
          keys="e"
          pressed={errors}
          look="quiet"
          run={() => setErrors(!errors)}
        >
          {errors ? "✓ " : ""}Standard errors
        </ActionButton>
        <ActionButton
          id="show-limits"
          label={limits ? "Hide intervals" : "Show intervals"}
          keys="i"
          pressed={limits}
          look="quiet"
          run={() => setLimits(!limits)}
        >
          {limits ? "✓ " : ""}Intervals
        </ActionButton>
      </div>
      {error && <Faults faults={[{ what: error.message, where: "", mend: "" }]} />}
      {data && data.faults.length > 0 && <Faults faults={data.faults} />}
      {data?.grid && data.result && (
        <div className={isPlaceholderData ? "opacity-50" : ""} aria-busy={isPlaceholderData}>
          {pictured ? (
            <Pictures result={data.result} grid={data.grid} />
          ) : (
            <Page view={data} errors={errors} limits={limits} chosen={cell} choose={setCell} />
          )}
          {cell && <Behind cell={cell} interval={request.interval} close={() => setCell(null)} />}
          <Tests result={data.result} />
          <InWords words={data.words ?? []} />
          <footer className="mt-4 max-w-3xl space-y-0.5 text-soft text-xs">
            {[...(data.grid.notes ?? []), ...data.note].map((line) => (
              <p key={line}>{line}</p>
            ))}
          </footer>
        </div>
      )}
    </article>
  );
}
