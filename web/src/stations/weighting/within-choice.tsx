import { Choice, Field } from "../../parts/fields";

/** Whether each `within` group has targets of its own; nothing where there are no groups. */
export function WithinChoice({
  within,
  own,
  change,
}: {
  within: readonly string[];
  own: boolean;
  change: (own: boolean) => void;
}) {
  if (!within.length) return null;
  return (
    <Field label={`Within ${within.join(" × ")}`}>
      {(p) => (
        <Choice
          {...p}
          className="!w-56"
          value={own ? "own" : "same"}
          onChange={(e) => change(e.target.value === "own")}
          options={[
            ["same", "the same targets everywhere"],
            ["own", "each group its own targets"],
          ]}
        />
      )}
    </Field>
  );
}
