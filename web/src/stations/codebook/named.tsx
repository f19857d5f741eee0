import { Field, TextInput } from "../../parts/fields";

/** Name and text of a variable that is to be made. */
export function Named({
  into,
  setInto,
  label,
  setLabel,
}: {
  into: string;
  setInto: (to: string) => void;
  label: string;
  setLabel: (to: string) => void;
}) {
  return (
    <div className="grid grid-cols-2 gap-4">
      <Field label="Name of the new variable">
        {(p) => <TextInput {...p} value={into} onChange={(e) => setInto(e.target.value)} />}
      </Field>
      <Field label="Label">
        {(p) => <TextInput {...p} value={label} onChange={(e) => setLabel(e.target.value)} />}
      </Field>
    </div>
  );
}
