import { useState } from "react";
import type { Schema } from "../../api/client";
import { Choice, Field, Tick } from "../../parts/fields";
import { TakeStep } from "../../parts/trial";

interface Props {
  names: readonly string[];
  done: () => void;
}

/** "12,50", "£ 3" and "thirty-four" become numbers; what does not stays a finding. */
export function ReadNumberForm({ names, done }: Props) {
  const [decimal, setDecimal] = useState(".");
  const [words, setWords] = useState(true);
  return (
    <div>
      <Field label="Decimal separator" hint="12.50 is read either way.">
        {(p) => (
          <Choice
            {...p}
            className="!w-64"
            value={decimal}
            onChange={(e) => setDecimal(e.target.value)}
            options={[
              [".", "with a point, 12.50"],
              [",", "with a comma, 12,50"],
            ]}
          />
        )}
      </Field>
      <Tick
        label="Also read numbers written as words, such as thirty-four"
        checked={words}
        onChange={(e) => setWords(e.target.checked)}
      />
      <TakeStep
        id="apply-number"
        label="Read as numbers"
        step={{ do: "to_number", variables: [...names], decimal, words }}
        done={done}
      />
    </div>
  );
}

/** Stray white space and letter case of some texts, or of all. */
export function TidyForm({ names, codebook, done }: Props & { codebook: Schema["CodebookView"] }) {
  const [all, setAll] = useState(false);
  const [letters, setLetters] = useState<"" | "lower" | "upper" | "sentence">("");
  const every = codebook.variables.filter((v) => v.variable.kind === "text").map((v) => v.variable.name);
  return (
    <div>
      <Field label="Letter case">
        {(p) => (
          <Choice
            {...p}
            className="!w-64"
            value={letters}
            onChange={(e) => setLetters(e.target.value as typeof letters)}
            options={[
              ["", "as it is"],
              ["lower", "all lower case"],
              ["upper", "ALL CAPITALS"],
              ["sentence", "First letter large"],
            ]}
          />
        )}
      </Field>
      <Tick
        label={`All ${every.length} texts, not ${names.length > 1 ? "these" : "this one"} alone`}
        checked={all}
        onChange={(e) => setAll(e.target.checked)}
      />
      <TakeStep
        id="apply-tidy"
        label="Clean up text (spaces, case)"
        step={{ do: "tidy", variables: all ? every : [...names], case: letters || null }}
        done={done}
      />
    </div>
  );
}
