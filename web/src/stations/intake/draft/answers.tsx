import { ArrowsDownUp } from "@phosphor-icons/react";
import type { Schema } from "../../../api/client";
import { ActionButton } from "../../../parts/actions";
import { Choice, TextInput, Tick } from "../../../parts/fields";
import { count } from "../../../parts/figures";
import { Bar } from "../../../parts/panes";
import { Sortable, SortableRow } from "../../../parts/sortable";
import { type Code, type Line, meaning, relabelled, reordered, same, turned } from "./edits";

type Effect = Schema["DraftEffect"];

/** The label of a code; a change counts when the field is left, or at Enter. */
function LabelField({ code, line, change }: { code: Code; line: Line; change: (to: Line) => void }) {
  return (
    <TextInput
      key={code.label}
      aria-label={`Label of ${code.code}`}
      defaultValue={code.label}
      className="!w-64 !py-0 font-serif"
      onBlur={(e) => change(relabelled(line, code.code, e.target.value))}
      onKeyDown={(e) => {
        if (e.key !== "Enter") return;
        // On to the label below, as in a column of cells.
        const fields = [...(e.currentTarget.closest("ol")?.querySelectorAll<HTMLInputElement>("input") ?? [])];
        fields[fields.indexOf(e.currentTarget) + 1]?.focus();
        e.currentTarget.blur();
      }}
    />
  );
}

/** What an answer is: one of its own, none, or the same as another. */
function MeaningField({
  code,
  line,
  none,
  change,
}: {
  code: Code;
  line: Line;
  none: boolean;
  change: (to: Line) => void;
}) {
  const others = (line.scale?.codes ?? []).filter((c) => c.code !== code.code);
  return (
    <Choice
      aria-label={`What “${code.label}” is`}
      className="!w-44 !py-0"
      value={none ? "none" : "own"}
      options={[
        ["own", "an answer"],
        ["none", "means no answer"],
        ...others.slice(0, 40).map((c) => [String(c.code), `the same as ${c.label}`] as const),
      ]}
      onChange={(e) => {
        const to = e.target.value;
        change(
          to === "own" || to === "none" ? meaning(line, code.code, to === "none") : same(line, code.code, Number(to)),
        );
      }}
    />
  );
}

/** The answers of a coded line: dragged into order, called what they are to be called, set apart where they mean none. */
export function AnswersEditor({ line, effect, change }: { line: Line; effect: Effect; change: (to: Line) => void }) {
  const scale = line.scale;
  if (!scale) return null;
  const cells = new Map(effect.answers.map((a) => [a.code, a.cells]));
  const whole = Math.max(effect.cells, 1);
  const ids = scale.codes.map((c) => `${line.questions[0]} ${c.code}`);
  const share = (code: number) => (
    <>
      <span className="w-24">
        <Bar share={(cells.get(code) ?? 0) / whole} />
      </span>
      <span className="figures w-14 text-right text-soft text-sm">{count(cells.get(code) ?? 0)}</span>
    </>
  );
  return (
    <div className="my-2">
      <Sortable ids={ids} move={(from, to) => change(reordered(line, from, to))}>
        <ol aria-label="Answers in order">
          {scale.codes.map((code, i) => (
            <SortableRow
              key={ids[i]}
              id={ids[i] as string}
              label={code.label}
              by={(places) => change(reordered(line, i, Math.max(0, Math.min(scale.codes.length - 1, i + places))))}
              className="flex items-center gap-2 py-px"
            >
              <span className="figures w-7 text-right text-soft">{code.code}</span>
              <LabelField code={code} line={line} change={change} />
              {share(code.code)}
              <MeaningField code={code} line={line} none={false} change={change} />
            </SortableRow>
          ))}
        </ol>
      </Sortable>
      {(scale.missing ?? []).length > 0 && (
        <ol aria-label="Means no answer" className="mt-1 border-hair border-t pt-1">
          {(scale.missing ?? []).map((code) => (
            <li key={code.code} className="flex items-center gap-2 py-px pl-5">
              <span className="figures w-7 text-right text-soft">{code.code}</span>
              <LabelField code={code} line={line} change={change} />
              {share(code.code)}
              <MeaningField code={code} line={line} none change={change} />
            </li>
          ))}
        </ol>
      )}
      <div className="mt-1 flex items-center gap-4">
        <Tick
          label="Ordered, from low to high"
          checked={scale.ordered ?? false}
          onChange={(e) => change({ ...line, scale: { ...scale, ordered: e.target.checked } })}
        />
        <ActionButton
          id={`turn-${line.questions[0]}`}
          label="Reverse the order"
          icon={ArrowsDownUp}
          look="quiet"
          run={() => change(turned(line))}
        />
      </div>
    </div>
  );
}
