import { FindMany } from "./find-many";

/** Some names chosen from many, in order. */
export function PickMany({
  options,
  ...rest
}: {
  id: string;
  label: string;
  chosen: readonly string[];
  options: readonly string[];
  change: (to: string[]) => void;
  hint?: string;
}) {
  return <FindMany {...rest} options={options.map((name) => ({ name }))} />;
}
