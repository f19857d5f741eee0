import type { Schema } from "../../api/client";

type Sort = NonNullable<Schema["Display"]["rows"]>;

/** What a column stands for, as a sort by it names it. */
export const atOf = (path: readonly Schema["BannerKey"][] | undefined) =>
  Object.fromEntries((path ?? []).map((b) => [b.variable, b.net ?? b.code ?? ""]));

/** The next of three: largest first, smallest first, as it was. */
export function turned(now: Sort | null | undefined, wanted: Sort): Sort | null {
  const same = now && JSON.stringify({ ...now, ascending: false }) === JSON.stringify({ ...wanted, ascending: false });
  if (!same) return wanted;
  return now.ascending ? null : { ...wanted, ascending: true };
}

const whole = (sort: Sort): Sort => ({
  stat: sort.stat ?? "col_pct",
  variable: sort.variable ?? null,
  code: sort.code ?? null,
  net: sort.net ?? null,
  at: sort.at ?? {},
  ascending: sort.ascending ?? false,
});

/** A heading that sorts what it heads. */
export function Sorter({
  text,
  sort,
  now,
  take,
  what,
}: {
  text: string;
  sort: Sort;
  now: Sort | null | undefined;
  take: (to: Sort | null) => void;
  what: string;
}) {
  const wanted = whole(sort);
  const mine = now && JSON.stringify({ ...whole(now), ascending: false }) === JSON.stringify(wanted);
  return (
    <button
      type="button"
      data-passing
      title={`Sort ${what} by this; press again to reverse, then to reset`}
      className="rounded hover:bg-wash"
      onClick={() => take(turned(now && whole(now), wanted))}
    >
      {text}
      {mine && (
        <span className="pl-1 text-act" aria-hidden>
          {now.ascending ? "↑" : "↓"}
        </span>
      )}
    </button>
  );
}
