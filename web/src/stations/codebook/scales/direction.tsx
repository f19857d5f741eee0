import { Choice, Tick } from "../../../parts/fields";

/** Whether a scale's answers have a direction, and which of them leans neither way. */
export function Direction({
  ordered,
  setOrdered,
  midpoint,
  setMidpoint,
  answers,
}: {
  ordered: boolean;
  setOrdered: (to: boolean) => void;
  midpoint: string;
  setMidpoint: (to: string) => void;
  /** What stands for an answer, and its label. */
  answers: readonly (readonly [value: string, label: string])[];
}) {
  return (
    <div className="flex items-center gap-6">
      <Tick
        label="Ordered: the answers have a direction"
        checked={ordered}
        onChange={(e) => setOrdered(e.target.checked)}
      />
      {ordered && (
        <Choice
          aria-label="The answer in the middle"
          className="!w-64"
          value={midpoint}
          onChange={(e) => setMidpoint(e.target.value)}
          options={[["", "no answer in the middle"], ...answers.map(([v, l]) => [v, `middle: ${l}`] as const)]}
        />
      )}
    </div>
  );
}
