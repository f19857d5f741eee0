import type { Schema } from "../../api/client";
import type { Request } from "../../parts/table-plan";

type Codebook = Schema["CodebookView"];

const day = (code: number) =>
  new Date(Date.UTC(Math.floor(code / 10_000), (Math.floor(code / 100) % 100) - 1, code % 100));
const written = (date: Date) => date.toISOString().slice(0, 10);

/** The days a period begins and the next one begins. */
function spanOf(code: number, period: string): [string, string] {
  if (period === "day") {
    const from = day(code);
    return [written(from), written(new Date(from.getTime() + 86_400_000))];
  }
  const [year, month, months] =
    period === "year"
      ? [code, 0, 12]
      : period === "quarter"
        ? [Math.floor(code / 10), 3 * ((code % 10) - 1), 3]
        : [Math.floor(code / 100), (code % 100) - 1, 1];
  return [written(new Date(Date.UTC(year, month, 1))), written(new Date(Date.UTC(year, month + months, 1)))];
}

/** The condition that a row or column of a table puts on its cases; null where it cannot be written as one. */
function conditionOf(
  request: Request,
  codebook: Codebook,
  name: string,
  code: number | null | undefined,
  net: string | null | undefined,
  banner: boolean,
): string | null {
  const variable = codebook.variables.find((v) => v.variable.name === name)?.variable;
  if (!variable) return null;
  const parts = variable.parts ?? [];
  const codes = (variable.options ?? parts.map((_, k) => ({ code: k + 1 }))).map((o) => o.code);
  const part = (option: number) => `${parts[codes.indexOf(option)]} == 1`;
  if (net != null && net !== "All") {
    const asked = request.nets?.find((n) => n.label === net && (banner ? n.banner === name : !n.banner));
    const scale = variable.scale ? codebook.scales[variable.scale] : undefined;
    const known = variable.kind === "multi" ? codes : (scale?.codes.map((c) => c.code) ?? []);
    const members = asked?.top ? known.slice(-asked.top) : asked?.bottom ? known.slice(0, asked.bottom) : asked?.codes;
    if (!members?.length) return null;
    if (variable.kind === "multi") return `(${members.map(part).join(" or ")})`;
    return `${name} in (${members.join(", ")}${members.length === 1 ? "," : ""})`;
  }
  if (variable.kind === "multi") return code == null ? `answered(${parts.join(", ")}) > 0` : part(code);
  if (code == null) return `answered(${name}) > 0`;
  if (variable.kind !== "date") return `${name} == ${code}`;
  const [from, to] = spanOf(code, request.dates ?? "month");
  return `${name} >= "${from}" and ${name} < "${to}"`;
}

/** The condition that the cases of a figure meet, filters included: those it counts, or for a mean those it is of. */
export function casesOf(
  request: Request,
  scope: string | null | undefined,
  codebook: Codebook,
  cell: Schema["Cell"],
): string | null {
  const conditions = [
    conditionOf(request, codebook, cell.stub.variable, cell.stub.code, cell.stub.net, false),
    ...cell.banner.map((b) => conditionOf(request, codebook, b.variable, b.code, b.net, true)),
  ];
  if (conditions.some((c) => c == null)) return null;
  const filters = [scope, request.where].filter((f): f is string => !!f?.trim()).map((f) => `(${f.trim()})`);
  return [...filters, ...conditions].join(" and ");
}
