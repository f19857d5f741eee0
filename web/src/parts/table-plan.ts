import type { Schema } from "../api/client";

export type Request = Schema["TableRequest"];
type View = Schema["VariableView"];
type Entry = NonNullable<Request["banner"]>[number];

export const TABLED = ["coded", "number", "multi", "date"];

/** A free identifier for a new table. */
export function freeId(tables: readonly Request[]) {
  let k = tables.length + 1;
  while (tables.some((t) => t.id === `t${k}`)) k++;
  return `t${k}`;
}

/** The figures a question of a kind is first shown with. */
export function figuresOf(kind: string): NonNullable<Request["show"]> {
  if (kind === "number") return ["mean", "sd", "median"];
  return kind === "multi" ? ["col_pct", "response_pct"] : ["col_pct"];
}

const LONG = 60;

/** What a table is called that nobody has given a title: its stub by its banner. */
export function titleOf(request: Pick<Request, "stub" | "banner">, variables: readonly View[]): string {
  const called = (name: string, most: number) => {
    const label = variables
      .find((v) => v.variable.name === name)
      ?.variable.label?.replace(/\s+/g, " ")
      .trim();
    return label && label.length <= most ? label : name;
  };
  const stub = request.stub ?? [];
  if (!stub.length) return "New table";
  const down = stub.slice(0, 2).map((name) => called(name, stub.length === 1 ? 2 * LONG : LONG));
  const rows = stub.length > 2 ? `${down.join(", ")} and ${stub.length - 2} more` : down.join(" and ");
  const across = (request.banner ?? []).map((b) =>
    (typeof b === "string" ? [b] : b).map((name) => called(name, 40)).join(" and "),
  );
  return across.length ? `${rows} by ${across.join(", ")}` : rows;
}

/** The contrasts whose columns a banner has. */
export function contrastsOf({ banner, contrasts }: Pick<Request, "banner" | "contrasts">) {
  const key = (names: readonly string[]) => [...names].sort().join("|");
  const there = new Set(["", ...(banner ?? []).map((b) => key(typeof b === "string" ? [b] : b))]);
  return (contrasts ?? []).filter((c) => c.of.every((term) => there.has(key(Object.keys(term.at)))));
}

/** A table with another stub or banner; its title goes with them until it is given one, and contrasts of columns that are gone go too. */
export function asked(request: Request, parts: Partial<Request>, variables: readonly View[]): Request {
  const given = { ...request, ...parts };
  const to = given.contrasts?.length && "banner" in parts ? { ...given, contrasts: contrastsOf(given) } : given;
  const first =
    !request.stub?.length && to.stub?.length ? variables.find((v) => v.variable.name === to.stub?.[0]) : null;
  const own = request.title && request.title !== titleOf(request, variables);
  return {
    ...to,
    ...(first && !request.recipe ? { show: figuresOf(first.variable.kind) } : {}),
    ...(own || "title" in parts ? {} : { title: titleOf(to, variables) }),
  };
}

const without = (banner: readonly Entry[], names: readonly string[]) =>
  banner.filter((b) => !names.some((n) => (typeof b === "string" ? b === n : b.includes(n))));

/** A table of one question by a banner; a question is not crossed with itself. */
export function tableOf(
  view: View,
  banner: readonly Entry[],
  tables: readonly Request[],
  group?: string | null,
): Request {
  const { name, label, kind } = view.variable;
  return {
    id: freeId(tables),
    title: label || name,
    stub: [name],
    banner: without(banner, [name]),
    show: figuresOf(kind),
    ...(group ? { group } : {}),
  };
}

/** A table of a battery by a banner, items down. */
export function batteryOf(
  battery: Schema["Battery"],
  banner: readonly Entry[],
  tables: readonly Request[],
  group?: string | null,
): Request {
  const title = battery.stem.replace(/[\s:…–-]+$/, "");
  return {
    id: freeId(tables),
    title: title || battery.variables[0],
    stub: battery.variables,
    banner: without(banner, battery.variables),
    show: ["col_pct", "mean", "sd"],
    layout: "battery",
    ...(group ? { group } : {}),
  };
}

/** A table of the same question by the same banner, where the plan has one. */
export function sameTable(tables: readonly Request[], wanted: Request) {
  const key = (t: Request) => JSON.stringify([t.stub, t.banner ?? [], t.where ?? null]);
  return tables.find((t) => key(t) === key(wanted));
}

/** What a table is of, in a line. */
export function gist(table: Request) {
  const banner = (table.banner ?? []).map((b) => (typeof b === "string" ? b : b.join(" › ")));
  const stub = table.stub ?? [];
  const down = stub.length > 3 ? `${stub.slice(0, 2).join(", ")} and ${stub.length - 2} more` : stub.join(", ");
  return `${down || "no stub yet"}${banner.length ? ` by ${banner.join(", ")}` : ""}`;
}

/** Tables under their headings, in the order in which headings first come; those without one stand by themselves. */
export function grouped(tables: readonly Request[]): { group: string | null; tables: Request[] }[] {
  const groups: { group: string | null; tables: Request[] }[] = [];
  for (const table of tables) {
    const name = table.group || null;
    const there = groups.find((g) => g.group === name);
    if (there) there.tables.push(table);
    else groups.push({ group: name, tables: [table] });
  }
  return groups;
}

/** The plan with one table a place further up or down; past the end of its heading it goes over to the next one. */
export function shifted(tables: readonly Request[], id: string, by: -1 | 1): Request[] {
  const order = grouped(tables).flatMap((g) => g.tables);
  const at = order.findIndex((t) => t.id === id);
  const table = order[at];
  const next = order[at + by];
  if (!table || !next) return order;
  const rest = order.filter((t) => t.id !== id);
  if ((table.group || null) !== (next.group || null)) {
    const to = { ...table, group: next.group ?? null };
    const place = rest.indexOf(next) + (by > 0 ? 0 : 1);
    return [...rest.slice(0, place), to, ...rest.slice(place)];
  }
  const place = rest.indexOf(next) + (by > 0 ? 1 : 0);
  return [...rest.slice(0, place), table, ...rest.slice(place)];
}

/** The plan with one table in the place of another; it goes under that one's heading. */
export function placed(tables: readonly Request[], id: string, over: string): Request[] {
  const order = grouped(tables).flatMap((g) => g.tables);
  const [from, to] = [order.findIndex((t) => t.id === id), order.findIndex((t) => t.id === over)];
  const [table, there] = [order[from], order[to]];
  if (!table || !there || from === to) return order;
  const rest = order.filter((t) => t.id !== id);
  return [...rest.slice(0, to), { ...table, group: there.group ?? null }, ...rest.slice(to)];
}
