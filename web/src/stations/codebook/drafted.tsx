import { Check } from "@phosphor-icons/react";
import { useMutation } from "@tanstack/react-query";
import { useState } from "react";
import { api, got, type Schema } from "../../api/client";
import { useChange, useStudy } from "../../api/queries";
import { ActionButton } from "../../parts/actions";
import { plural } from "../../parts/figures";
import { tell } from "../../parts/notices";
import { DraftList, useDraft } from "../intake/draft/draft";
import type { LineView } from "../intake/draft/edits";

/** The lines of a draft as far as they are of some questions. */
export function linesOf(draft: readonly LineView[], names: readonly string[]): LineView[] {
  const wanted = new Set(names);
  return draft.flatMap((view) => {
    const at = view.line.questions.flatMap((name, i) => (wanted.has(name) ? [i] : []));
    // A question of several columns is taken whole or not at all.
    if (!at.length || (view.line.kind === "several" && at.length < view.line.questions.length)) return [];
    if (at.length === view.line.questions.length) return [view];
    const questions = at.map((i) => view.line.questions[i] as string);
    return [{ ...view, line: { ...view.line, questions }, titles: at.map((i) => view.titles[i] as string) }];
  });
}

/** Many questions at once as they were drafted when their file arrived, each with its own answers. */
export function DraftedForm({ names, done }: { names: readonly string[]; done: () => void }) {
  const study = useStudy();
  const { change } = useChange();
  const draft = linesOf(useDraft(study.source.id), names);
  const [mended, setMended] = useState<ReadonlyMap<number, LineView>>(new Map());
  const take = useMutation({
    mutationFn: async () => {
      const lines = draft.map((view, at) => (mended.get(at) ?? view).line);
      const made: Schema["Added"] = await got(
        api.POST("/api/v1/studies/{study_id}/draft", { params: { path: { study_id: study.id } }, body: lines }),
      );
      await change.mutateAsync({ codebook: made.codebook, ledger: made.ledger });
    },
    onSuccess: done,
    onError: tell,
  });
  const questions = draft.reduce((sum, view) => sum + view.line.questions.length, 0);
  return (
    <>
      <DraftList
        file={study.source.id}
        draft={draft}
        mended={mended}
        mend={(at, to) => setMended((before) => new Map(before).set(at, to))}
      />
      <ActionButton
        id="take-drafted"
        label={`Apply ${plural(draft.length, "line")} to ${plural(questions, "question")}`}
        icon={Check}
        className="mt-2"
        disabled={!draft.length || take.isPending}
        run={() => take.mutate()}
      />
    </>
  );
}
