import { Check } from "@phosphor-icons/react";
import { useMutation, useSuspenseQuery } from "@tanstack/react-query";
import { Link, useNavigate, useParams } from "@tanstack/react-router";
import { useState } from "react";
import { api, got } from "../../api/client";
import { fileQuery } from "../../api/queries";
import { ActionButton } from "../../parts/actions";
import { CommonActions } from "../../parts/common-actions";
import { Field, TextInput } from "../../parts/fields";
import { count, plural, size } from "../../parts/figures";
import { tell } from "../../parts/notices";
import { Heading, Panes } from "../../parts/panes";
import { counted, DraftList, useDraft } from "./draft/draft";
import type { LineView } from "./draft/edits";
import { Reading } from "./reading";

/** A file before it is imported, with the codebook that is proposed for it. */
export function IntakePreview() {
  const { file: id } = useParams({ from: "/arriving/$file" });
  const { data: file } = useSuspenseQuery(fileQuery(id));
  const navigate = useNavigate();
  const [title, setTitle] = useState(file.name.replace(/\.[a-z]+$/i, "").replace(/[-_]+/g, " "));
  const draft = useDraft(id);
  const [mended, setMended] = useState<ReadonlyMap<number, LineView>>(new Map());
  const views = draft.map((view, at) => mended.get(at) ?? view);
  const begin = useMutation({
    mutationFn: (drafted: boolean) =>
      got(api.POST("/api/v1/studies", { body: { title, file: id, draft: drafted ? views.map((v) => v.line) : [] } })),
    onSuccess: (made) => navigate({ to: "/study/$id/codebook/{-$item}", params: { id: made.id, item: undefined } }),
    onError: (error) => tell(error),
  });
  return (
    <div className="flex h-screen min-w-[60rem] flex-col">
      <header className="flex items-center border-rule border-b px-6 py-2">
        <p className="grow text-sm">
          <Link to="/" className="text-soft hover:text-ink">
            Even Ballot
          </Link>
        </p>
        <CommonActions />
      </header>
      <Panes
        label="What arrived"
        left={
          <>
            <p className="font-serif text-xl">{file.name}</p>
            <p className="mb-3 text-sm text-soft">
              {file.sample
                ? `${count(file.sample.drawn)} of ${plural(file.sample.records, "record")} in ${plural(file.sample.parts, "part")}, drawn at random; the records stay where they are`
                : `${size(file.size)}; ${plural(file.records, "record")}`}
              , {plural(file.columns.length, "column")}
              {file.blank_records > 0 && `; ${plural(file.blank_records, "blank record")} skipped`}
            </p>
            {!file.sample && (
              <Reading
                file={file}
                arrived={(again) => navigate({ to: "/arriving/$file", params: { file: again.id }, replace: true })}
              />
            )}
            <hr className="my-4 border-hair" />
            <Field label="Title of the study">
              {(props) => <TextInput {...props} value={title} onChange={(e) => setTitle(e.target.value)} />}
            </Field>
            <ActionButton
              id="import-answers"
              label="Import answers"
              keys="Ctrl+Enter"
              icon={Check}
              look="strong"
              disabled={begin.isPending || !title.trim()}
              run={() => begin.mutate(true)}
            />
            <p className="mt-3 text-soft text-xs">To apply your own codebook, import the columns unchanged.</p>
            <ActionButton
              id="import-plain"
              label="Import without the codebook"
              look="quiet"
              className="!px-0"
              disabled={begin.isPending || !title.trim()}
              run={() => begin.mutate(false)}
            />
          </>
        }
        right={
          <>
            <Heading over="Proposed from what is in the file; nothing has been imported yet">
              The codebook, as it reads
            </Heading>
            <p className="max-w-3xl text-sm">
              {counted(views)}. Import takes all lines as they stand; each can be changed here, or later in the
              codebook.
            </p>
            <DraftList
              file={id}
              draft={draft}
              mended={mended}
              mend={(at, to) => setMended((before) => new Map(before).set(at, to))}
            />
          </>
        }
      />
    </div>
  );
}
