import { CaretDown, CaretRight } from "@phosphor-icons/react";
import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { api, got, Refusal } from "../../../api/client";
import { Choice, Field, TextInput } from "../../../parts/fields";
import { count, plainly, plural } from "../../../parts/figures";
import { tell } from "../../../parts/notices";
import { ROLES } from "../../../parts/variables";
import { folded } from "../../codebook/matching";
import { AnswersEditor } from "./answers";
import type { Line, LineView } from "./edits";
import { ReadingEditor } from "./reading";
import { KINDS, moment, ORDERS, whyOf } from "./why";

/** A line in one glance: its answers in order, or what its numbers and dates span. */
function Summary({ view, why }: { view: LineView; why: string }) {
  const { line, effect } = view;
  const answers = effect.answers.filter((a) => a.sort === "answer");
  const none = effect.answers.filter((a) => a.sort === "missing");
  const values = answers.flatMap((a) => (a.value == null ? [] : [a.value]));
  const show = line.kind === "date" ? moment : plainly;
  const words =
    line.kind === "coded" || line.kind === "several"
      ? `${answers
          .slice(0, 9)
          .map((a) => a.text)
          .join(" · ")}${answers.length > 9 ? ` · and ${answers.length - 9} more` : ""}`
      : line.kind === "discard"
        ? "not taken into the study"
        : line.kind === "text"
          ? answers
              .slice(0, 2)
              .map((a) => `“${a.text}”`)
              .join(", ")
          : values.length
            ? `${show(Math.min(...values))} to ${show(Math.max(...values))}`
            : "";
  const labels = new Map([...(line.scale?.codes ?? []), ...(line.scale?.missing ?? [])].map((c) => [c.code, c.label]));
  // Wordings that are put to a label which they are not, spacing and letter case aside.
  const meant = Object.entries(
    line.kind === "coded" && line.why !== "numbered_labels" ? (line.answers ?? {}) : {},
  ).filter(([word, code]) => folded(word) !== folded(labels.get(code) ?? ""));
  const unfit = effect.answers.filter((a) => a.sort === "left");
  return (
    <span className="block text-sm">
      <span className="line-clamp-2 font-serif">{words}</span>
      <span className="block text-soft text-xs">
        {line.kind === "date" && line.date && `${ORDERS.find(([o]) => o === line.date?.order)?.[1]}; `}
        {line.scale?.ordered && "ordered; "}
        {none.length > 0 &&
          `no answer: ${none
            .map((a) => a.text)
            .slice(0, 5)
            .join(", ")}; `}
        {meant.length > 0 &&
          `${meant
            .slice(0, 4)
            .map(([word, code]) => `“${word}” as ${labels.get(code)}`)
            .join(", ")}${meant.length > 4 ? ` and ${meant.length - 4} more` : ""}; `}
        {Object.keys(line.number?.entries ?? {}).map((e) => `“${e}” as ${line.number?.entries?.[e]}; `)}
        {effect.blank > 0 && `${count(effect.blank)} blank; `}
        <span className={view.unsure ? "text-heed" : ""}>
          {view.unsure && "▲ "}
          {why}
        </span>
        {effect.left > 0 && (
          <span className="text-heed">
            {" "}
            ▲ {plural(effect.left, "cell")} not read:{" "}
            {unfit
              .slice(0, 3)
              .map((a) => `“${a.text}”`)
              .join(", ")}
          </span>
        )}
      </span>
    </span>
  );
}

/** The questions of a line: the text of one, or what many have in common. */
function Questions({ view, all }: { view: LineView; all: boolean }) {
  const { line, titles } = view;
  const many = line.questions.length > 1;
  // What tells a question from the others of its line.
  const own = (title: string) => (line.stem ? title.replace(line.stem, "").replace(/^[\s?:.,–-]+/, "") : title);
  return (
    <span className="block min-w-0">
      <span className="line-clamp-2 font-serif leading-snug">
        {many
          ? (line.stem ?? `${titles[0]} and ${plural(titles.length - 1, "other")}`)
          : titles[0] || line.questions[0]}
      </span>
      <span className="block truncate text-soft text-xs">
        {many ? `${plural(line.questions.length, "question")}: ${line.questions.join(", ")}` : line.questions[0]}
      </span>
      {all && many && (
        <span className="mt-1 block max-h-40 overflow-y-auto text-sm">
          {titles.map((title, i) => (
            <span key={line.questions[i]} className="block">
              <span className="font-semibold">{line.questions[i]}</span> {title !== line.questions[i] && own(title)}
            </span>
          ))}
        </span>
      )}
    </span>
  );
}

/** One line of the draft; opened, everything in it can be changed. */
export function DraftLine({
  file,
  view: given,
  change,
}: {
  file: string;
  view: LineView;
  change: (to: LineView) => void;
}) {
  const [open, setOpen] = useState(false);
  const [line, setLine] = useState(given.line);
  const changed = line !== given.line;
  const { data } = useQuery({
    queryKey: ["file", file, "line", JSON.stringify(line)],
    enabled: changed,
    placeholderData: (before) => before,
    queryFn: async () => {
      const view = await got(
        api.POST("/api/v1/files/{file_id}/draft/look", { params: { path: { file_id: file } }, body: line }),
      );
      change({ ...view, unsure: false });
      return view;
    },
  });
  const view = { ...(changed && data ? data : given), line, unsure: given.unsure };
  const kind = async (to: Line["kind"]) => {
    try {
      const as = await got(
        api.POST("/api/v1/files/{file_id}/draft/as", {
          params: { path: { file_id: file } },
          body: { kind: to, questions: line.questions },
        }),
      );
      setLine(as.line);
      change({ ...as, unsure: false });
    } catch (error) {
      tell(error instanceof Refusal ? error : (error as Error));
    }
  };
  const say = (to: Line) => {
    if (to !== line) setLine({ ...to, sure: 1 });
  };
  const id = `line-${line.questions[0]}`;
  const Caret = open ? CaretDown : CaretRight;
  return (
    <li className="border-hair border-b py-1.5 [contain-intrinsic-size:auto_4rem] [content-visibility:auto]">
      <div className="grid grid-cols-[8.5rem_minmax(0,5fr)_minmax(0,6fr)] gap-3">
        <div>
          <Choice
            aria-label={`Kind of ${line.questions[0]}`}
            className="!px-1 !py-0"
            value={line.kind}
            options={KINDS}
            onChange={(e) => kind(e.target.value as Line["kind"])}
          />
          {line.role && <span className="block px-1 text-xs">{ROLES.find(([r]) => r === line.role)?.[1]}</span>}
        </div>
        <button
          type="button"
          data-passing
          aria-expanded={open}
          aria-controls={id}
          onClick={() => setOpen(!open)}
          className="group flex min-w-0 items-start gap-1 text-left"
        >
          <Caret size={14} className="mt-1 shrink-0 text-soft group-hover:text-ink" aria-hidden />
          <Questions view={view} all={open} />
        </button>
        <div className="min-w-0">
          <Summary view={view} why={changed ? "as changed by you" : whyOf(line, view.unsure)} />
        </div>
      </div>
      {open && (
        <div id={id} className="mt-1 mb-3 ml-4 border-hair border-l-2 pl-4">
          {line.kind === "coded" && <AnswersEditor line={line} effect={view.effect} change={say} />}
          {(line.kind === "number" || line.kind === "date") && (
            <ReadingEditor line={line} effect={view.effect} change={say} />
          )}
          <div className="flex gap-6">
            <Field label="Role">
              {(p) => (
                <Choice
                  {...p}
                  value={line.role ?? ""}
                  options={ROLES}
                  onChange={(e) => say({ ...line, role: (e.target.value || null) as Line["role"] })}
                />
              )}
            </Field>
            {line.kind === "coded" && (
              <Field label="Name of the scale">
                {(p) => (
                  <TextInput
                    {...p}
                    key={line.scale_name}
                    defaultValue={line.scale_name ?? ""}
                    onBlur={(e) => e.target.value.trim() && say({ ...line, scale_name: e.target.value.trim() })}
                  />
                )}
              </Field>
            )}
            {line.kind === "several" && (
              <Field label="Name of the question">
                {(p) => (
                  <TextInput
                    {...p}
                    key={line.name}
                    defaultValue={line.name ?? ""}
                    onBlur={(e) => e.target.value.trim() && say({ ...line, name: e.target.value.trim() })}
                  />
                )}
              </Field>
            )}
          </div>
        </div>
      )}
    </li>
  );
}
