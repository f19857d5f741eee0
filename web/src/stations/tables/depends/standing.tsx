import { ArrowLeft } from "@phosphor-icons/react";
import { Link } from "@tanstack/react-router";
import type { Found } from "../../../api/depends";
import { useSaved } from "../../../api/queries";
import { Faults } from "../../../parts/notices";

/** How far it has got, or what stopped it. */
export function Standing<T extends { of: number }>({
  found: { lines, waiting, done, refusal },
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
      {waiting
        ? "Waiting: two other questions about figures are being answered first …"
        : of
          ? `${lines.length} of ${of} ${what} …`
          : "Calculating …"}
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

/** The way back to a table or an analysis. */
export function Back({ item, label }: { item: string; label: string }) {
  const study = useSaved();
  return (
    <Link
      to="/study/$id/tables/{-$item}"
      params={{ id: study.id, item }}
      className="inline-flex items-center gap-1 text-act text-sm hover:underline"
    >
      <ArrowLeft size={14} aria-hidden /> {label}
    </Link>
  );
}

/** Headings of columns: words at the left, numbers at the right, and what is only drawn. */
export function Columns({
  of,
}: {
  of: readonly (readonly [name: string, kind: "words" | "number" | "drawn", wide?: string])[];
}) {
  return (
    <thead>
      <tr className="border-rule border-y">
        {of.map(([name, kind, wide = ""]) => (
          <th
            key={name}
            scope="col"
            className={`py-1 font-semibold ${kind === "number" ? "whitespace-nowrap px-2 text-right" : "text-left"} ${wide}`}
          >
            {kind === "drawn" ? <span className="sr-only">{name}</span> : name}
          </th>
        ))}
      </tr>
    </thead>
  );
}
