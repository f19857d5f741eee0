import type { Schema } from "../../api/client";
import { count, decimals, plainly, plural } from "../../parts/figures";

type Found = Schema["ReleaseChanges"];
const MOST = 100;

/** What differs between two releases, what matters most first. */
export function Changes({ changes }: { changes: Found }) {
  const { moved, numbers } = changes;
  const nothing =
    !moved.length && !numbers.length && !changes.new.length && !changes.gone.length && !changes.renamed.length;
  if (nothing) return <p className="mt-2 text-sm">Nothing: all {count(changes.figures)} figures are the same.</p>;
  const told = [
    ...changes.new.map((of) => `New: ${of.title}`),
    ...changes.gone.map((of) => `No longer in it: ${of.title}`),
    ...changes.renamed.map((of) => `“${of.before}” is now “${of.title}”`),
    ...numbers.map(
      (of) =>
        `${of.what}: ${of.before == null ? "none" : plainly(of.before)} before, ${of.after == null ? "none" : plainly(of.after)} now`,
    ),
  ];
  const beyond = moved.filter((of) => of.beyond).length;
  const figure = (value: number | null | undefined, share: boolean) =>
    value == null ? "–" : share ? decimals(100 * value, 1) : decimals(value, 2);
  // What is printed alike before and now is no line of its own.
  const shown = moved.filter((of) => figure(of.before, of.share) !== figure(of.after, of.share));
  const signed = (of: Found["moved"][number]) => {
    const text = figure(of.change, of.share);
    return of.change != null && of.change > 0 && /[1-9]/.test(text) ? `+${text}` : text;
  };
  return (
    <>
      <ul className="mt-2 list-disc pl-5 text-sm">
        {told.map((line) => (
          <li key={line}>{line}</li>
        ))}
      </ul>
      <p className="mt-2 text-sm">
        {plural(moved.length, "figure")} of {count(changes.figures)} changed
        {beyond > 0 && `; ${count(beyond)} ${beyond === 1 ? "lies" : "lie"} outside the interval released before (!)`}.
      </p>
      {shown.length > 0 && (
        <table className="mt-2 border-rule border-y text-sm tabular-nums">
          <caption className="sr-only">Figures that changed, the largest against their interval first</caption>
          <thead className="border-rule border-b">
            <tr>
              {["In", "Figure", "Before", "Now", "Change"].map((name, k) => (
                <th key={name} scope="col" className={`px-2 py-1 font-semibold ${k < 2 ? "text-left" : "text-right"}`}>
                  {name}
                </th>
              ))}
            </tr>
          </thead>
          <tbody>
            {shown.slice(0, MOST).map((of, k) => (
              // biome-ignore lint/suspicious/noArrayIndexKey: figures have their place alone
              <tr key={k}>
                <th scope="row" className="max-w-56 truncate px-2 text-left font-normal" title={of.title}>
                  {of.title}
                </th>
                <td className="px-2">{[of.row, of.column, of.figure].filter(Boolean).join(" · ")}</td>
                <td className="px-2 text-right">{figure(of.before, of.share)}</td>
                <td className="px-2 text-right">{figure(of.after, of.share)}</td>
                <td className="whitespace-nowrap px-2 text-right">
                  {signed(of)}
                  {of.beyond && <span className="text-heed"> !</span>}
                </td>
              </tr>
            ))}
          </tbody>
        </table>
      )}
      {shown.length > MOST && <p className="text-soft text-sm">{count(shown.length - MOST)} more changed less.</p>}
      {shown.length < moved.length && (
        <p className="text-soft text-sm">
          {plural(moved.length - shown.length, "other figure")} changed by less than is shown.
        </p>
      )}
    </>
  );
}
