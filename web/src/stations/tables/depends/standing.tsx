import type { Found } from "../../../api/depends";
import { Faults } from "../../../parts/notices";

/** How far it has got, or what stopped it. */
export function Standing<T extends { of: number }>({
  found: { lines, done, refusal },
  what,
}: {
  found: Found<T>;
  what: string;
}) {
  const of = lines[0]?.of ?? 0;
  if (refusal) return <Faults faults={refusal.faults} />;
  if (done) return null;
  return (
    <div role="status" className="my-1 max-w-md text-soft text-sm">
      {of ? `${lines.length} of ${of} ${what} …` : "Working it out …"}
      <progress aria-label="Progress" className="mt-1 block w-full" value={of ? lines.length / of : undefined} />
    </div>
  );
}

/** A point on the axis. */
export function Dot({ place, look }: { place: number; look: "published" | "small" | "large" }) {
  const shape = {
    published: "size-2 rounded-full bg-ink",
    small: "size-2 rounded-full bg-act",
    large: "size-2 rotate-45 bg-heed",
  };
  return (
    <span
      aria-hidden
      className={`absolute top-1/2 -translate-x-1/2 -translate-y-1/2 ${shape[look]}`}
      style={{ left: `${place}%` }}
    />
  );
}
