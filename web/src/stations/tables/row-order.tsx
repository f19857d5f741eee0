import type { Schema } from "../../api/client";
import { ActionButton } from "../../parts/actions";

type Sort = NonNullable<Schema["Display"]["rows"]>;

/** The orders of rows that suit every table. */
const ORDERS: readonly (readonly [id: string, says: string, sort: Sort | null])[] = [
  ["asked", "as asked", null],
  ["frequent", "most frequent first", { stat: "col_pct" }],
  ["last", "last answer first", { stat: "place" }],
];

function isOf(now: Sort | null | undefined, sort: Sort | null) {
  if (!sort || !now) return !sort && !now;
  return now.stat === sort.stat && !now.ascending && !Object.keys(now.at ?? {}).length && !now.variable;
}

/** The order of rows, a press each. now: that of the table, or of several. */
export function RowOrder({
  id,
  now,
  take,
}: {
  id: string;
  now: Sort | null | undefined | "several";
  take: (sort: Sort | null) => void;
}) {
  return (
    <fieldset className="flex flex-wrap items-center gap-x-1 text-sm">
      <legend className="float-left pr-2">Rows</legend>
      {ORDERS.map(([key, says, sort]) => (
        <ActionButton
          key={key}
          id={`${id}-${key}`}
          label={`Rows ${says}`}
          look="quiet"
          pressed={now !== "several" && isOf(now, sort)}
          run={() => take(sort)}
        >
          {says}
        </ActionButton>
      ))}
    </fieldset>
  );
}
