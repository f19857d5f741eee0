import { ClipboardText, FileArrowUp } from "@phosphor-icons/react";
import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { api, got, type Schema } from "../../api/client";
import { useChange, useStudy } from "../../api/queries";
import { ActionButton } from "../../parts/actions";
import { pickFile } from "../../parts/drop";
import { Field, TextArea } from "../../parts/fields";
import { count, plainly, plural } from "../../parts/figures";
import { useWaited } from "../../parts/waited";

type Line = Schema["PastedTarget"];

/** A line with what it was matched to, or what is wrong with it and what was likely meant. */
function LineRow({ line, mend }: { line: Line; mend: () => void }) {
  return (
    <tr className="align-top">
      <td className="figures pr-2 text-right text-soft">{line.line}</td>
      <td className="whitespace-pre-wrap pr-4">{line.text.trim()}</td>
      {line.problem ? (
        <td className="text-heed">
          ▲ {line.problem}{" "}
          {line.likely && (
            <ActionButton
              id={`meant-${line.line}`}
              label={`Line ${line.line}: use “${line.likely}”`}
              className="!py-0"
              run={mend}
            >
              {`use “${line.likely}”`}
            </ActionButton>
          )}
        </td>
      ) : (
        <td>
          <span className="text-soft">→</span> {line.label} <span className="figures">{plainly(line.value ?? 0)}</span>
        </td>
      )}
    </tr>
  );
}

/** Targets pasted, typed or read from a file, matched by label or code; each line says what it was taken for. */
export function PasteTargets({ by, take }: { by: readonly string[]; take: (targets: Schema["Target"][]) => void }) {
  const study = useStudy();
  const { refuse } = useChange();
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
  const read = (file: File) => {
    got(
      api.PUT("/api/v1/studies/{study_id}/targets", {
        params: { path: { study_id: study.id }, query: { name: file.name } },
        body: file as never,
        bodySerializer: (body: unknown) => body as Blob,
      }),
    )
      .then((found) => setText(found.text))
      .catch(refuse);
  };
  const mend = (line: Line) => {
    const lines = text.split(/\r\n|\r|\n/);
    lines[line.line - 1] = `${line.likely}\t${line.value}`;
    setText(lines.join("\n"));
  };
  return (
    <section aria-label="Paste targets" className="max-w-3xl">
      <Field
        label="Paste or type targets, one per line"
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
      <ActionButton
        id="targets-file"
        label="Import them from a file"
        icon={FileArrowUp}
        run={() => pickFile(".csv,.tsv,.txt,.xlsx,.ods", read)}
      />
      {shown && (
        <div role="status" className="my-2 text-sm">
          <p className="figures">
            {plural(good.length, "line")} matched, summing to {plainly(shown.total)}
            {wrong.length > 0 && (
              <span className="text-heed">
                ; ▲ {count(wrong.length)} {wrong.length === 1 ? "is" : "are"} not
              </span>
            )}
            .
          </p>
          <table className="my-1">
            <tbody>
              {shown.lines.map((line) => (
                <LineRow key={line.line} line={line} mend={() => mend(line)} />
              ))}
            </tbody>
          </table>
          {shown.without_target.length > 0 && (
            <p className="text-heed">▲ Without a target: {shown.without_target.slice(0, 8).join("; ")}.</p>
          )}
        </div>
      )}
      <ActionButton
        id="take-targets"
        label="Use these targets"
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
