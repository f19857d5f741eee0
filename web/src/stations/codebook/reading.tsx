import { Check } from "@phosphor-icons/react";
import { useState } from "react";
import type { Schema } from "../../api/client";
import { useChange } from "../../api/queries";
import { ActionButton } from "../../parts/actions";
import { Choice, Field, Tick } from "../../parts/fields";

/** "12,50", "£ 3" and "thirty-four" become numbers; what does not stays a finding. */
export function ReadNumberForm({ name, done }: { name: string; done: () => void }) {
  const { addSteps, change } = useChange();
  const [decimal, setDecimal] = useState(".");
  const [words, setWords] = useState(true);
  return (
    <div>
      <Field label="Decimals are written" hint="Whichever is chosen, 12.50 is read as well.">
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
        label="Read numbers in words too, such as thirty-four"
        checked={words}
        onChange={(e) => setWords(e.target.checked)}
      />
      <ActionButton
        id="apply-number"
        label="Read as numbers"
        icon={Check}
        look="strong"
        className="mt-2"
        disabled={change.isPending}
        run={() => {
          addSteps({ do: "to_number", variables: [name], decimal, words }).then(done, () => {});
        }}
      />
    </div>
  );
}

/** Stray white space and letter case of one text, or of all. */
export function TidyForm({
  name,
  codebook,
  done,
}: {
  name: string;
  codebook: Schema["CodebookView"];
  done: () => void;
}) {
  const { addSteps, change } = useChange();
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
              ["lower", "all small"],
              ["upper", "ALL CAPITALS"],
              ["sentence", "First letter large"],
            ]}
          />
        )}
      </Field>
      <Tick
        label={`All ${every.length} texts, not this one alone`}
        checked={all}
        onChange={(e) => setAll(e.target.checked)}
      />
      <ActionButton
        id="apply-tidy"
        label="Tidy the spacing"
        icon={Check}
        look="strong"
        className="mt-2"
        disabled={change.isPending}
        run={() => {
          addSteps({ do: "tidy", variables: all ? every : [name], case: letters || null }).then(done, () => {});
        }}
      />
    </div>
  );
}
