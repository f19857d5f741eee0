import { ArrowDown, ArrowUp } from "@phosphor-icons/react";
import type { Schema } from "../../api/client";
import { ActionButton } from "../../parts/actions";
import { TextInput, Tick } from "../../parts/fields";
import { moved } from "../../parts/find-many";
import type { Request } from "../../parts/table-plan";
import { RowOrder } from "./row-order";

type Display = Schema["Display"];
type ShownVariable = NonNullable<Display["variables"]>[number];
type Category = NonNullable<ShownVariable["categories"]>[number];

interface Part {
  variable: string;
  title: string;
  rows: { code?: number | null; net?: string | null; label: string }[];
}

/** Stub and banner variables of a table with everything they are divided into, hidden ones too. */
function partsOf(result: Schema["TableResult"], request: Request): Part[] {
  const parts = new Map<string, Part>();
  const add = (variable: string, title: string, categories: readonly Schema["Category"][], nets: readonly string[]) => {
    const part = parts.get(variable) ?? { variable, title, rows: [] };
    for (const row of [
      ...categories.map((c) => ({ code: c.code, label: c.label })),
      ...nets.map((net) => ({ net, label: net })),
    ])
      if (!part.rows.some((r) => (r.net ?? r.code) === ("net" in row ? row.net : row.code))) part.rows.push(row);
    parts.set(variable, part);
  };
  const battery = request.layout === "battery";
  for (const stub of result.stubs.slice(0, battery ? 1 : undefined))
    if (stub.categories.length) add(stub.variable, stub.title, stub.categories, stub.nets ?? []);
  for (const banner of result.banners)
    banner.variables.forEach((name, k) => {
      add(name, banner.titles[k] ?? name, banner.categories[k] ?? [], banner.nets?.[k] ?? []);
    });
  return [...parts.values()];
}

const sameRow = (a: Category, b: Category) =>
  (a.net ?? null) === (b.net ?? null) && (a.code ?? null) === (b.code ?? null);

/** What differs from how the table would be shown by itself, in a few words. */
export function saysShown(display: Display): string {
  const rows = (display.variables ?? []).flatMap((v) => v.categories ?? []);
  const hidden = rows.filter((c) => c.hide).length;
  const renamed = rows.filter((c) => c.label).length + (display.variables ?? []).filter((v) => v.label).length;
  const said = [
    hidden ? `${hidden} hidden` : "",
    renamed ? `${renamed} renamed` : "",
    display.rows ? "rows sorted" : "",
    display.columns ? "columns sorted" : "",
    display.total_column === false ? "without the total column" : "",
  ].filter(Boolean);
  return said.join(", ") || "as they are";
}

/** Rows and columns as they are shown: what they are called, in which order, which are left out. */
export function Shown({
  result,
  request,
  redisplay,
}: {
  result: Schema["TableResult"];
  request: Request;
  redisplay: (to: Display) => void;
}) {
  const display = request.display ?? {};
  const said = display.variables ?? [];
  const put = (variable: string, to: Partial<ShownVariable>) => {
    const mine = said.find((v) => v.variable === variable) ?? { variable };
    redisplay({ ...display, variables: [...said.filter((v) => v.variable !== variable), { ...mine, ...to }] });
  };
  return (
    <div className="grid grid-cols-2 gap-x-8">
      {partsOf(result, request).map((part) => {
        const mine = said.find((v) => v.variable === part.variable);
        const listed = mine?.categories ?? [];
        const own = (row: Category): Category =>
          listed.find((c) => sameRow(c, row)) ?? { code: row.code, net: row.net };
        const labels = new Map(part.rows.map((r) => [JSON.stringify([r.code ?? null, r.net ?? null]), r.label]));
        const rest = part.rows
          .map(({ code, net }) => ({ code, net }))
          .filter((r) => !listed.some((c) => sameRow(c, r)));
        const order: Category[] = [...listed.filter((c) => part.rows.some((r) => sameRow(c, r))), ...rest].map(own);
        const change = (to: Category[]) => put(part.variable, { categories: to });
        return (
          <fieldset key={part.variable} className="my-2 min-w-0">
            <legend className="text-soft text-xs">{part.variable}</legend>
            <TextInput
              aria-label={`What ${part.variable} is called`}
              className="font-serif"
              key={mine?.label ?? ""}
              defaultValue={mine?.label ?? part.title}
              onBlur={(e) => {
                const to = e.target.value.trim();
                if (to !== (mine?.label ?? part.title))
                  put(part.variable, { label: to && to !== part.title ? to : null });
              }}
              onKeyDown={(e) => e.key === "Enter" && e.currentTarget.blur()}
            />
            {order.map((row, k) => {
              const label =
                labels.get(JSON.stringify([row.code ?? null, row.net ?? null])) ?? String(row.code ?? row.net);
              const replace = (to: Category) => change(order.map((o, i) => (i === k ? to : o)));
              return (
                <div key={`${row.code}-${row.net}`} className="flex items-center">
                  <ActionButton
                    id={`up-${part.variable}-${row.net ?? row.code}`}
                    label={`${label} further up`}
                    icon={ArrowUp}
                    bare
                    look="quiet"
                    className="!px-1"
                    disabled={k === 0}
                    run={() => change(moved(order, k, -1))}
                  />
                  <ActionButton
                    id={`down-${part.variable}-${row.net ?? row.code}`}
                    label={`${label} further down`}
                    icon={ArrowDown}
                    bare
                    look="quiet"
                    className="!px-1"
                    disabled={k === order.length - 1}
                    run={() => change(moved(order, k, 1))}
                  />
                  <TextInput
                    aria-label={`What ${label} is called`}
                    key={row.label ?? ""}
                    defaultValue={row.label ?? label}
                    className={`!py-0.5 ${row.hide ? "line-through opacity-60" : ""}`}
                    onBlur={(e) => {
                      const to = e.target.value.trim();
                      if (to !== (row.label ?? label)) replace({ ...row, label: to && to !== label ? to : null });
                    }}
                    onKeyDown={(e) => e.key === "Enter" && e.currentTarget.blur()}
                  />
                  <span className="pl-2">
                    <Tick
                      label={<span className="sr-only">{`show ${label}`}</span>}
                      checked={!row.hide}
                      onChange={(e) => replace({ ...row, hide: !e.target.checked })}
                    />
                  </span>
                </div>
              );
            })}
          </fieldset>
        );
      })}
      <div className="col-span-2 flex flex-wrap items-center gap-x-4">
        <RowOrder id="rows" now={display.rows} take={(rows) => redisplay({ ...display, rows })} />
        {result.banners.length > 0 && request.layout !== "battery" && (
          <Tick
            label="total column"
            checked={display.total_column ?? true}
            onChange={(e) => redisplay({ ...display, total_column: e.target.checked })}
          />
        )}
        <ActionButton
          id="shown-as-is"
          label="Reset rows and columns"
          look="quiet"
          disabled={saysShown(display) === "as they are" && !said.length}
          run={() => redisplay({})}
        />
      </div>
    </div>
  );
}
