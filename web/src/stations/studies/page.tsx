import { ArrowCounterClockwise, Copy, FileArrowUp, Trash, UploadSimple } from "@phosphor-icons/react";
import { useQueryClient, useSuspenseQuery } from "@tanstack/react-query";
import { Link, useNavigate } from "@tanstack/react-router";
import { useState } from "react";
import { api, got, type Schema, upload } from "../../api/client";
import { studiesQuery } from "../../api/queries";
import { ActionButton } from "../../parts/actions";
import { CommonActions } from "../../parts/common-actions";
import { ANSWER_FILES, FileDrop, pickFile, useUpload } from "../../parts/drop";
import { day, plural } from "../../parts/figures";
import { tell } from "../../parts/notices";
import { Folders } from "./folders";
import { KeptFor } from "./kept-for";

const path = (study_id: string) => ({ params: { path: { study_id } } });

function Row({ study, deleted, changed }: { study: Schema["StudyCard"]; deleted: boolean; changed: () => void }) {
  const navigate = useNavigate();
  const bringBack = () =>
    got(api.POST("/api/v1/studies/{study_id}/restore", path(study.id)))
      .then(changed)
      .catch(tell);
  return (
    <li className="flex items-baseline gap-4 border-hair border-b py-3">
      <div className="grow">
        {deleted ? (
          <span className="font-serif text-xl">{study.title}</span>
        ) : (
          <Link to="/study/$id" params={{ id: study.id }} className="font-serif text-xl hover:text-act hover:underline">
            {study.title}
          </Link>
        )}
        <p className="text-soft text-sm">
          {study.source}, {plural(study.records, "case")};{" "}
          {study.deleted ? `deleted ${day(study.deleted)}` : `last changed ${day(study.changed)}`}
          {study.until && `; kept until ${day(study.until)}`}
        </p>
      </div>
      {deleted ? (
        <>
          <ActionButton
            id={`restore-${study.id}`}
            label={`Restore ${study.title}`}
            icon={ArrowCounterClockwise}
            run={bringBack}
          >
            Restore
          </ActionButton>
          <Purge study={study} changed={changed} />
        </>
      ) : (
        <>
          <ActionButton
            id={`copy-${study.id}`}
            label={`Copy ${study.title}`}
            icon={Copy}
            look="quiet"
            run={() =>
              got(api.POST("/api/v1/studies/{study_id}/copy", path(study.id)))
                .then((made) => navigate({ to: "/study/$id", params: { id: made.id } }))
                .catch(tell)
            }
          >
            Copy
          </ActionButton>
          <ActionButton
            id={`delete-${study.id}`}
            label={`Delete ${study.title}`}
            icon={Trash}
            look="quiet"
            run={() =>
              got(api.DELETE("/api/v1/studies/{study_id}", path(study.id)))
                .then(() => {
                  changed();
                  tell(`${study.title} was deleted.`, { label: "Restore it", go: bringBack });
                })
                .catch(tell)
            }
          >
            Delete
          </ActionButton>
        </>
      )}
    </li>
  );
}

/** Deletes for good: asked for first, then once more, since nothing brings it back. */
function Purge({ study, changed }: { study: Schema["StudyCard"]; changed: () => void }) {
  const [sure, setSure] = useState(false);
  const purge = () =>
    got(api.POST("/api/v1/studies/{study_id}/purge", path(study.id)))
      .then(() => {
        changed();
        tell(`${study.title} was deleted permanently.`);
      })
      .catch(tell);
  return sure ? (
    <ActionButton
      id={`purge-${study.id}`}
      label={`Yes, delete ${study.title} permanently`}
      icon={Trash}
      look="strong"
      run={purge}
    >
      Yes, permanently
    </ActionButton>
  ) : (
    <ActionButton
      id={`purge-${study.id}`}
      label={`Delete ${study.title} permanently`}
      icon={Trash}
      look="quiet"
      run={() => setSure(true)}
    >
      Delete permanently
    </ActionButton>
  );
}

export function StudiesPage() {
  const [deleted, setDeleted] = useState(false);
  const { data: studies } = useSuspenseQuery(studiesQuery(deleted));
  const client = useQueryClient();
  const navigate = useNavigate();
  const changed = () => client.invalidateQueries({ queryKey: ["studies"] });
  const arriving = useUpload((file) => navigate({ to: "/arriving/$file", params: { file: file.id } }));
  const open = (made: Schema["Made"]) => navigate({ to: "/study/$id", params: { id: made.id } });
  const takeIn = () =>
    pickFile(".zip", (file) =>
      upload<Schema["Made"]>(`/api/v1/studies/take-in?name=${encodeURIComponent(file.name)}`, file, () => {})
        .then(open)
        .catch(tell),
    );
  return (
    <div className="mx-auto max-w-4xl px-8 py-6">
      <header className="mb-6 flex items-center">
        <p className="grow text-soft">Even Ballot</p>
        <CommonActions />
      </header>
      <main>
        <h1 className="mb-4 font-serif text-4xl">{deleted ? "Deleted studies" : "Studies"}</h1>
        {!deleted && (
          <FileDrop state={arriving}>
            <p className="font-serif text-xl">Drop a file of answers here</p>
            <p className="mb-3 text-soft text-sm">
              CSV or other delimited text, XLSX, ODS, Parquet or JSON lines. You see what is in it before anything is
              imported.
            </p>
            <ActionButton
              id="choose-file"
              label="Choose a file of answers"
              keys="n"
              icon={FileArrowUp}
              look="strong"
              run={() => pickFile(ANSWER_FILES, arriving.begin)}
            />
          </FileDrop>
        )}
        {!deleted && <Folders />}
        {deleted && <KeptFor />}
        <ul className="mt-6">
          {studies.map((study) => (
            <Row key={study.id} study={study} deleted={deleted} changed={changed} />
          ))}
        </ul>
        {!studies.length && <p className="py-6 text-soft">{deleted ? "Nothing has been deleted." : "No study yet."}</p>}
        <div className="mt-4 flex gap-2">
          <ActionButton id="take-in" label="Import a saved study (ZIP)" icon={UploadSimple} run={takeIn} />
          <ActionButton
            id="demo"
            label="Import the demo study again"
            run={() => got(api.POST("/api/v1/studies/demo")).then(open).catch(tell)}
          />
          <ActionButton
            id="deleted"
            label={deleted ? "Back to the studies" : "Deleted studies"}
            look="quiet"
            run={() => setDeleted(!deleted)}
          />
        </div>
      </main>
    </div>
  );
}
