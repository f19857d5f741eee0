import { ArrowsClockwise, FileArrowUp } from "@phosphor-icons/react";
import { Link, useNavigate, useParams } from "@tanstack/react-router";
import { api, got } from "../../api/client";
import { drawFrom } from "../../api/in-place";
import { useChange, useStudy } from "../../api/queries";
import { ActionButton } from "../../parts/actions";
import { ANSWER_FILES, FileDrop, pickFile, Sending, useUpload } from "../../parts/drop";
import { count, plural, size } from "../../parts/figures";
import { useWork, Working } from "../../parts/job";
import { Faults } from "../../parts/notices";
import { Empty, Heading, Panes, Sub } from "../../parts/panes";
import { ColumnList } from "./columns";
import { LookUpForm } from "./look-up";
import { NewerFile } from "./newer";

/** A name for a lookup: letters and digits of the file's own. */
const nameOf = (file: string) =>
  file
    .replace(/\.[a-z]+$/i, "")
    .replace(/\W+/g, "_")
    .toLowerCase() || "lookup";

/** The address of a newer file that is being looked at. */
const NEWER = "newer-";

export function IntakeStation() {
  const study = useStudy();
  const navigate = useNavigate();
  const { item } = useParams({ strict: false });
  const { settle, refuse, inTurn } = useChange();
  const lookup = item ? study.lookups[item] : undefined;
  const file = lookup ?? study.source;
  const arriving = useUpload((brought) =>
    inTurn((edition) =>
      got(
        api.PUT("/api/v1/studies/{study_id}/lookups/{name}", {
          params: { path: { study_id: study.id, name: nameOf(brought.name) }, query: { edition } },
          body: { id: brought.id },
        }),
      ),
    )
      .then(settle)
      .catch(refuse),
  );
  const look = (id: string) =>
    navigate({ to: "/study/$id/intake/{-$item}", params: { id: study.id, item: NEWER + id } });
  const newer = useUpload((brought) => look(brought.id), study.source.id);
  const drawing = useWork();
  const sample = study.source.sample;
  const entry = (name: string | undefined, title: string, says: string) => (
    <li>
      <Link
        to="/study/$id/intake/{-$item}"
        params={{ id: study.id, item: name }}
        className={`block rounded px-2 py-1.5 hover:bg-wash ${item === name ? "bg-wash" : ""}`}
      >
        <span className="block font-serif">{title}</span>
        <span className="text-soft text-sm">{says}</span>
      </Link>
    </li>
  );
  return (
    <Panes
      label="Files"
      left={
        <>
          <Sub>Answers</Sub>
          <ul>
            {entry(
              undefined,
              study.source.name,
              sample
                ? `${count(sample.drawn)} of ${plural(sample.records, "record")}, in ${plural(sample.parts, "part")}`
                : `${plural(study.source.records, "record")}, ${size(study.source.size)}`,
            )}
          </ul>
          {sample ? (
            !drawing.job && (
              <ActionButton
                id="draw-again"
                label="Draw the sample again"
                icon={ArrowsClockwise}
                run={() =>
                  void drawing.run(
                    () => drawFrom(sample.folder),
                    (id) => look(id),
                  )
                }
              />
            )
          ) : (
            <ActionButton
              id="bring-newer"
              label="Import a newer file"
              icon={ArrowsClockwise}
              run={() => pickFile(ANSWER_FILES, newer.begin)}
            />
          )}
          <Working work={drawing} stop="stop-drawing" />
          <Sending upload={newer} />
          {newer.refusal && <Faults faults={newer.refusal.faults} />}
          <Sub>To look up</Sub>
          <ul>
            {Object.entries(study.lookups).map(([name, kept]) =>
              entry(name, kept.name, `as ${name}; ${plural(kept.records, "record")}`),
            )}
          </ul>
          <div className="mt-2">
            <FileDrop state={arriving}>
              <p className="mb-2 text-sm">
                A frame, a list of districts, base weights: a file joined to the cases by a key.
              </p>
              <ActionButton
                id="bring-lookup"
                label="Add a lookup file"
                icon={FileArrowUp}
                run={() => pickFile(ANSWER_FILES, arriving.begin)}
              />
            </FileDrop>
          </div>
        </>
      }
      right={
        item?.startsWith(NEWER) ? (
          <NewerFile key={item} file={item.slice(NEWER.length)} />
        ) : item && !lookup ? (
          <Empty title={`There is no file ${item}`}>Choose one on the left.</Empty>
        ) : (
          <>
            <Heading
              over={
                lookup
                  ? "A file to look up"
                  : sample
                    ? "A sample of the records as they came; they stay in their folder"
                    : "The answers as they came; they never change"
              }
            >
              {file.name}
            </Heading>
            {lookup && item && <LookUpForm name={item} file={lookup} />}
            <ColumnList file={file} />
          </>
        )
      }
    />
  );
}
