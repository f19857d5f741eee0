import type { Schema } from "../../api/client";

type Table = Schema["PrintedTable"];

/** Header rows, each with how many columns before it have none. */
function spaced(table: Table) {
  const covered = new Set<string>();
  return table.heads.map((row, r) => {
    let at = 0;
    const cells = row.map((head) => {
      let gap = 0;
      for (let c = at; c < head.first; c++) if (!covered.has(`${r}:${c}`)) gap++;
      at = head.first + head.span;
      for (let down = 1; down < (head.down ?? 1); down++)
        for (let c = head.first; c < at; c++) covered.add(`${r + down}:${c}`);
      return { head, gap };
    });
    return cells;
  });
}

/** A table as it is printed. */
export function Printed({ table }: { table: Table }) {
  const heads = spaced(table);
  return (
    // biome-ignore lint/a11y/noNoninteractiveTabindex: a scrolling region is reached by keyboard
    <section className="overflow-x-auto" tabIndex={0} aria-label={`${table.title}, columns`}>
      <table className="border-rule border-b text-sm tabular-nums">
        <caption className="sr-only">{table.title}</caption>
        <thead className="border-rule border-y">
          {heads.map((row, r) => (
            // biome-ignore lint/suspicious/noArrayIndexKey: rows of headings have no other name
            <tr key={r}>
              {r === 0 &&
                table.stub.map((name) => (
                  <th
                    key={name}
                    scope="col"
                    rowSpan={heads.length}
                    className="px-2 py-1 text-left align-bottom font-normal"
                  >
                    {name || <span className="sr-only">Row</span>}
                  </th>
                ))}
              {row.flatMap(({ head, gap }) => [
                gap ? <td key={`gap ${head.first}`} colSpan={gap} /> : null,
                <th
                  key={head.first}
                  scope={head.span > 1 ? "colgroup" : "col"}
                  colSpan={head.span}
                  rowSpan={head.down}
                  className={`px-2 py-1 align-bottom font-semibold ${head.span > 1 ? "border-rule border-b text-center" : "text-right"}`}
                >
                  {head.text}
                </th>,
              ])}
            </tr>
          ))}
        </thead>
        {table.groups.map((group, g) => (
          // biome-ignore lint/suspicious/noArrayIndexKey: groups of one table may be called alike
          <tbody key={g}>
            {group.title && (
              <tr>
                <th
                  scope="rowgroup"
                  colSpan={table.columns + table.stub.length}
                  className="max-w-prose pt-2 pb-0.5 text-left font-semibold font-serif"
                >
                  {group.title}
                </th>
              </tr>
            )}
            {group.rows.map((row, r) => (
              <tr
                // biome-ignore lint/suspicious/noArrayIndexKey: rows may be called alike
                key={r}
                className={row.weight === "soft" ? "text-soft text-xs" : row.weight === "base" ? "italic" : ""}
              >
                <th
                  scope="row"
                  className={`py-px pr-2 text-left font-normal ${row.weight === "soft" ? "pl-5" : "pl-2"}`}
                >
                  {row.labels[0] || <span className="sr-only">{row.labels[1] ?? ""}</span>}
                </th>
                {row.labels.slice(1).map((label) => (
                  <td key={label} className="pr-2 text-left text-soft">
                    {label}
                  </td>
                ))}
                {row.entries.map((entry, c) => (
                  // biome-ignore lint/suspicious/noArrayIndexKey: columns have their place alone
                  <td key={c} className="whitespace-nowrap px-2 text-right">
                    {entry.text}
                    {entry.beside && <sup className="ml-px">{entry.beside}</sup>}
                  </td>
                ))}
              </tr>
            ))}
          </tbody>
        ))}
      </table>
    </section>
  );
}
