import { ArrowsSplit } from "@phosphor-icons/react";
import { useState } from "react";
import { Choice, Field, TextInput, Tick } from "../../parts/fields";
import { count, plural } from "../../parts/figures";
import { Ticks } from "../../parts/ticks";
import { TakeStep } from "../../parts/trial";
import { texts, type VariableView } from "./matching";

const SEPARATORS = [
  [";", "semicolon"],
  [",", "comma"],
  ["|", "vertical bar"],
  ["\n", "line break"],
] as const;

/** The separate answers in a question's cells, with how many cells hold each, most frequent first. */
function answersIn(view: VariableView, separator: string): [answer: string, cases: number][] {
  const found = new Map<string, number>();
  for (const cell of texts(view))
    for (const answer of new Set(cell.label.split(separator).map((a) => a.trim())))
      if (answer) found.set(answer, (found.get(answer) ?? 0) + cell.cases);
  return [...found].sort((a, b) => b[1] - a[1]);
}

/** The separator that takes a question's cells apart into few answers that recur, or null where none does. */
export function separatorOf(view: VariableView): string | null {
  const cells = texts(view);
  for (const [separator] of SEPARATORS) {
    const several = cells.filter((c) => c.label.includes(separator)).length;
    const answers = answersIn(view, separator).length;
    if (several >= cells.length / 3 && answers >= 2 && answers <= 30 && answers < cells.length) return separator;
  }
  return null;
}

/** One delimited cell becomes a question of several answers. */
export function SplitForm({ view, done }: { view: VariableView; done: () => void }) {
  const [separator, setSeparator] = useState(separatorOf(view) ?? ";");
  const [into, setInto] = useState(`${view.variable.name}_each`.slice(0, 40));
  const [left, setLeft] = useState<string[]>([]);
  const found = answersIn(view, separator);
  const options = found.filter(([answer]) => !left.includes(answer)).map(([label], i) => ({ code: i + 1, label }));
  return (
    <div>
      <div className="grid grid-cols-2 gap-4">
        <Field label="Name of the new question">
          {(p) => <TextInput {...p} value={into} onChange={(e) => setInto(e.target.value)} />}
        </Field>
        <Field label="Answers are separated by">
          {(p) => (
            <Choice {...p} value={separator} options={SEPARATORS} onChange={(e) => setSeparator(e.target.value)} />
          )}
        </Field>
      </div>
      <fieldset className="my-2">
        <legend className="font-semibold text-sm">Its answers</legend>
        <Ticks>
          {found.map(([answer, cases]) => (
            <Tick
              key={answer}
              label={`${answer} (${count(cases)})`}
              checked={!left.includes(answer)}
              onChange={(e) => setLeft(e.target.checked ? left.filter((a) => a !== answer) : [...left, answer])}
            />
          ))}
        </Ticks>
      </fieldset>
      <p className="my-2 text-soft text-sm">
        {plural(options.length, "answer")}; answers that are not listed remain as findings of this entry; the cells
        themselves do not change.
      </p>
      <TakeStep
        id="apply-split"
        label="Split answers"
        icon={ArrowsSplit}
        step={options.length && into ? { do: "split", variable: view.variable.name, separator, into, options } : null}
        done={done}
      />
    </div>
  );
}
