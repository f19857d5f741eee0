import { CaretRight, X } from "@phosphor-icons/react";
import { type KeyboardEvent, useId, useRef, useState } from "react";
import { ActionButton } from "./actions";
import { Field } from "./fields";

/** Something to choose: its name, and what it is called where that says more. */
export interface Findable {
  name: string;
  title?: string | null;
}

export const NESTED = " › ";

/** Options that hold every word typed, in name or title; those whose name begins with it first. */
export function found(options: readonly Findable[], typed: string): Findable[] {
  const words = typed.toLowerCase().split(/\s+/).filter(Boolean);
  const begins = words.join(" ");
  const rank = (o: Findable) => {
    const name = o.name.toLowerCase();
    return name === begins ? 0 : name.startsWith(begins) ? 1 : name.includes(begins) ? 2 : 3;
  };
  return options
    .filter((o) => words.every((w) => `${o.name} ${o.title ?? ""}`.toLowerCase().includes(w)))
    .map((o, i) => [rank(o), i, o] as const)
    .sort((a, b) => a[0] - b[0] || a[1] - b[1])
    .map(([, , o]) => o);
}

/** Moves the k-th of a list by some places. */
export function moved<T>(list: readonly T[], k: number, by: number): T[] {
  const to = k + by;
  if (to < 0 || to >= list.length) return [...list];
  const rest = list.filter((_, i) => i !== k);
  return [...rest.slice(0, to), list[k] as T, ...rest.slice(to)];
}

/** Some of many, found by typing in names and titles or by pointing, in an order that Alt and the arrows change. nest: one can stand
 * within the one before (Shift and Enter). */
export function FindMany({
  id,
  label,
  chosen,
  options,
  change,
  hint,
  nest,
  begin,
  lacks = [],
}: {
  id: string;
  label: string;
  chosen: readonly string[];
  options: readonly Findable[];
  change: (to: string[]) => void;
  hint?: string;
  nest?: boolean;
  /** Whether one begins here: the field is ready to be typed into. */
  begin?: boolean;
  /** What cannot be chosen, with the reason in place of a title. */
  lacks?: readonly Findable[];
}) {
  const list = useId();
  const input = useRef<HTMLInputElement>(null);
  const [typed, setTyped] = useState("");
  const [open, setOpen] = useState(false);
  const [at, setAt] = useState(0);
  const [within, setWithin] = useState<string | null>(null);
  const free = options.filter((o) => within != null || !chosen.includes(o.name));
  const shown = found(free, typed).slice(0, 60);
  const apart = typed.trim()
    ? lacks.filter((o) => o.name.toLowerCase().includes(typed.trim().toLowerCase())).slice(0, 3)
    : [];
  const take = (option: Findable | undefined, inside: string | null) => {
    if (!option) return;
    const host = inside != null ? chosen.indexOf(inside) : -1;
    change(
      host >= 0
        ? chosen.map((c, k) => (k === host ? `${c}${NESTED}${option.name}` : c))
        : [...chosen, option.name].filter((c, k, all) => all.indexOf(c) === k),
    );
    setTyped("");
    setAt(0);
    setWithin(null);
    setOpen(false);
  };
  const press = (event: KeyboardEvent) => {
    if (event.key === "ArrowDown" || event.key === "ArrowUp") {
      event.preventDefault();
      setOpen(true);
      setAt((k) => Math.max(0, Math.min(shown.length - 1, k + (event.key === "ArrowDown" ? 1 : -1))));
    } else if (event.key === "Enter" && open) {
      event.preventDefault();
      take(shown[at], within ?? (nest && event.shiftKey ? (chosen.at(-1) ?? null) : null));
    } else if (event.key === "Escape") {
      setOpen(false);
      setWithin(null);
    } else if (event.key === "Backspace" && !typed && chosen.length) {
      change(chosen.slice(0, -1));
    }
  };
  return (
    <Field label={label} hint={hint}>
      {(p) => (
        <div className="relative flex flex-wrap items-center gap-1">
          {chosen.map((name, k) => (
            // biome-ignore lint/a11y/useSemanticElements: a name with what can be done with it is no set of fields
            <span
              key={name}
              role="group"
              aria-label={name}
              className="inline-flex items-center rounded bg-wash pl-2 text-sm"
              title={options.find((o) => o.name === name)?.title ?? undefined}
              onKeyDown={(e) => {
                const by = e.key === "ArrowLeft" ? -1 : e.key === "ArrowRight" ? 1 : 0;
                if (e.altKey && by) {
                  e.preventDefault();
                  change(moved(chosen, k, by));
                }
              }}
            >
              {name}
              {nest && (
                <ActionButton
                  id={`${id}-within-${name}`}
                  label={`${label}: nest another within ${name}`}
                  icon={CaretRight}
                  bare
                  look="quiet"
                  className="!px-1"
                  run={() => {
                    setWithin(name);
                    setOpen(true);
                    input.current?.focus();
                  }}
                />
              )}
              <ActionButton
                id={`${id}-without-${name}`}
                label={`${label}: without ${name}`}
                icon={X}
                bare
                look="quiet"
                className={nest ? "!pl-1" : ""}
                run={() => change(chosen.filter((c) => c !== name))}
              />
            </span>
          ))}
          <input
            {...p}
            ref={input}
            role="combobox"
            aria-expanded={open && shown.length > 0}
            aria-controls={list}
            aria-autocomplete="list"
            aria-activedescendant={open && shown[at] ? `${list}-${at}` : undefined}
            autoComplete="off"
            // biome-ignore lint/a11y/noAutofocus: one comes here to type a name
            autoFocus={begin}
            spellCheck={false}
            value={typed}
            placeholder={within != null ? `within ${within} …` : chosen.length ? "add …" : "find …"}
            className="w-36 rounded border border-rule bg-leaf px-2 py-1 text-sm placeholder:text-soft"
            onClick={() => setOpen(true)}
            onBlur={() => {
              setOpen(false);
              setWithin(null);
            }}
            onChange={(e) => {
              setTyped(e.target.value);
              setOpen(true);
              setAt(0);
            }}
            onKeyDown={press}
          />
          {open && shown.length + apart.length > 0 && (
            <div className="absolute top-full left-0 z-30 mt-0.5 w-[30rem] max-w-[80vw] border border-rule bg-leaf shadow-xl">
              <div
                id={list}
                role="listbox"
                tabIndex={-1}
                aria-label={`${label}: what there is`}
                className="max-h-72 overflow-y-auto py-1 text-sm"
                onMouseDown={(e) => e.preventDefault()}
              >
                {shown.map((o, k) => (
                  <div
                    key={o.name}
                    id={`${list}-${k}`}
                    role="option"
                    tabIndex={-1}
                    aria-selected={k === at}
                    data-option={o.name}
                    className={`cursor-pointer px-2 py-0.5 leading-snug ${k === at ? "bg-wash" : ""}`}
                    onMouseMove={() => setAt(k)}
                    onMouseDown={(e) => take(o, within ?? (nest && e.shiftKey ? (chosen.at(-1) ?? null) : null))}
                    ref={k === at ? (el) => el?.scrollIntoView({ block: "nearest" }) : undefined}
                  >
                    <span className="font-semibold">{o.name}</span>
                    {o.title && o.title !== o.name && <span className="pl-2 font-serif text-soft">{o.title}</span>}
                  </div>
                ))}
              </div>
              {apart.map((o) => (
                <p key={o.name} className="px-2 py-0.5 text-soft text-sm">
                  <span className="font-semibold">{o.name}</span> {o.title}
                </p>
              ))}
              <p className="border-hair border-t px-2 py-0.5 text-soft text-xs">
                {nest && chosen.length && within == null ? `Shift and Enter: within ${chosen.at(-1)}. ` : ""}
                Alt and ← → to reorder; Backspace removes the last.
              </p>
            </div>
          )}
        </div>
      )}
    </Field>
  );
}
