import { ClipboardText } from "@phosphor-icons/react";
import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { api, got, type Schema } from "../../api/client";
import { useStudy } from "../../api/queries";
import { ActionButton } from "../../parts/actions";
import { Field, TextArea } from "../../parts/fields";
import { decimals, plural } from "../../parts/figures";
import { useWaited } from "../../parts/waited";

/** Targets pasted or typed as lines, matched by label or code; what fits nothing is said beside its line. */
export function PasteTargets({ by, take }: { by: readonly string[]; take: (targets: Schema["Target"][]) => void }) {
  const study = useStudy();
  const [text, setText] = useState("");
  const settled = useWaited(text, 200);
  const { data } = useQuery({
    queryKey: ["targets", study.id, study.edition, by, settled],
    enabled: settled.trim() !== "" && by.length > 0,
    queryFn: () =>
      got(
        api.POST("/api/v1/studies/{study_id}/targets", {
          params: { path: { study_id: study.id } },
          body: { by: [...by], text: settled },
        }),
      ),
  });
  const shown = text.trim() ? data : undefined;
  const good = shown?.lines.filter((l) => l.at && !l.problem) ?? [];
  const wrong = shown?.lines.filter((l) => l.problem) ?? [];
  return (
    <section aria-label="Paste targets" className="max-w-2xl">
      <Field
        label="Paste or type targets, a line each"
        hint="A label or code and a value, in any order of lines. Crossed variables: both labels, then the value."
      >
        {(p) => (
          <TextArea
            {...p}
            rows={6}
            spellCheck={false}
            value={text}
            placeholder={"Woman, 18 to 34\t7,410\nMan, 18 to 34\t7,690"}
            onChange={(e) => setText(e.target.value)}
          />
        )}
      </Field>
      {shown && (
        <div role="status" className="text-sm">
          <p className="figures">
            {plural(good.length, "line")} matched, summing to{" "}
            {decimals(shown.total, shown.total < 200 ? 4 : 0).replace(/\.?0+$/, "")}.
          </p>
          {wrong.map((line) => (
            <p key={line.line} className="text-heed">
              ▲ Line {line.line}: {line.problem}
            </p>
          ))}
          {shown.without_target.length > 0 && (
            <p className="text-heed">▲ Without a target: {shown.without_target.slice(0, 8).join("; ")}.</p>
          )}
        </div>
      )}
      <ActionButton
        id="take-targets"
        label="Take these targets"
        icon={ClipboardText}
        look="strong"
        className="mt-2"
        disabled={!good.length || wrong.length > 0}
        run={() => {
          take(good.map((l) => ({ at: l.at as Record<string, number>, value: l.value as number })));
          setText("");
        }}
      />
    </section>
  );
}
