import { useSaved } from "../../api/queries";
import { count } from "../../parts/figures";

/** What figures are of, where a study's records stay in a folder. of: the sample; received: how many records, without blank ones. */
export function OfSample({ of, received }: { of: boolean | undefined; received: number | undefined }) {
  const { sample } = useSaved().source;
  if (!sample) return null;
  return of ? (
    <p className="my-1 text-heed text-sm" data-of="sample">
      ▲ Figures of the sample: {count(received ?? 0)} of {count(sample.records)} records.
    </p>
  ) : (
    <p className="my-1 text-soft text-sm" data-of="all">
      ✓ Figures of all {count(received ?? 0)} records.
    </p>
  );
}
