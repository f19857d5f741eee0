import { useId, useMemo, useRef, useState } from "react";
import type { Fault } from "../api/client";
import { useCodebook } from "../api/queries";
import { useVocabulary } from "../api/vocabulary";
import { type Offer, offers, unfinished } from "./completion";

/** A formula as it is typed: names are completed, and a fault points at its character. */
export function FormulaField({
  label,
  hint,
  value,
  change,
  faults = [],
  rows = 2,
  settle,
  placeholder,
}: {
  label: string;
  hint?: string;
  value: string;
  change: (to: string) => void;
  faults?: readonly Fault[];
  rows?: number;
  /** Called when the field is left, or Enter is pressed with nothing to complete. */
  settle?: (entered: boolean) => void;
  placeholder?: string;
}) {
  const id = useId();
  const codebook = useCodebook();
  const box = useRef<HTMLTextAreaElement>(null);
  const [part, setPart] = useState("");
  const [at, setAt] = useState(0);
  const variables = useMemo(
    () =>
      codebook.variables
        .filter((v) => v.variable.kind !== "multi")
        .map((v) => [v.variable.name, v.variable.label ?? ""] as const),
    [codebook],
  );
  const functions = useVocabulary().functions.map((f) => [f.name, f.says] as const);
  const found = offers(part, variables, functions);
  const wrong = faults[0];
  const place = wrong?.at ?? -1;
  const look = () => {
    const field = box.current;
    setPart(field && field.selectionStart === field.selectionEnd ? unfinished(field.value, field.selectionStart) : "");
    setAt(0);
  };
  const take = (offer: Offer) => {
    const field = box.current;
    if (!field) return;
    const end = field.selectionStart;
    const start = end - part.length;
    change(value.slice(0, start) + offer.insert + value.slice(end));
    setPart("");
    requestAnimationFrame(() => {
      field.focus();
      field.setSelectionRange(start + offer.insert.length, start + offer.insert.length);
    });
  };
  const keys = (event: React.KeyboardEvent) => {
    if (!found.length) {
      if (event.key === "Enter" && settle) {
        event.preventDefault();
        settle(true);
      }
      return;
    }
    const offer = found[Math.min(at, found.length - 1)];
    if (event.key === "ArrowDown") setAt((at + 1) % found.length);
    else if (event.key === "ArrowUp") setAt((at + found.length - 1) % found.length);
    else if (event.key === "Enter" && settle && offer?.insert === part) {
      setPart("");
      settle(true);
    } else if ((event.key === "Tab" || event.key === "Enter") && offer) take(offer);
    else if (event.key === "Escape") setPart("");
    else return;
    event.preventDefault();
  };
  return (
    <div className="relative my-2">
      <label htmlFor={id} className="mb-0.5 block font-semibold text-sm">
        {label}
      </label>
      <textarea
        id={id}
        ref={box}
        rows={rows}
        spellCheck={false}
        autoComplete="off"
        aria-controls={`${id}-list`}
        aria-activedescendant={found.length ? `${id}-${at}` : undefined}
        aria-autocomplete="list"
        aria-invalid={wrong ? true : undefined}
        aria-describedby={`${id}-hint`}
        value={value}
        onChange={(e) => {
          change(e.target.value);
          look();
        }}
        onKeyDown={keys}
        onClick={look}
        onBlur={() => {
          setTimeout(() => setPart(""), 150);
          settle?.(false);
        }}
        placeholder={placeholder}
        className={`w-full rounded border border-rule bg-leaf px-2 py-1 font-mono text-ink text-sm ${rows === 1 ? "resize-none" : ""}`}
      />
      <div
        id={`${id}-list`}
        role="listbox"
        aria-label={`Suggestions for ${label}`}
        className={`absolute z-20 max-h-60 w-full overflow-y-auto border border-rule bg-leaf shadow-lg ${found.length ? "" : "hidden"}`}
      >
        {found.map((offer, i) => (
          <div
            key={offer.insert}
            id={`${id}-${i}`}
            role="option"
            tabIndex={-1}
            aria-selected={i === at}
            onMouseDown={(e) => {
              e.preventDefault();
              take(offer);
            }}
            className={`flex cursor-pointer gap-3 px-2 py-0.5 text-sm ${i === at ? "bg-wash" : ""}`}
          >
            <span className="shrink-0 font-mono">{offer.shown}</span>
            <span className="truncate text-soft">{offer.says}</span>
          </div>
        ))}
      </div>
      <div id={`${id}-hint`} className="mt-0.5 text-xs">
        {wrong ? (
          <div className="text-heed">
            {place >= 0 && value && (
              <pre className="overflow-x-auto font-mono" aria-hidden>
                {value.slice(0, place)}
                <mark className="bg-heedwash text-heed underline decoration-wavy">
                  {value.slice(place, place + 1) || "␣"}
                </mark>
                {value.slice(place + 1)}
              </pre>
            )}
            ▲ {wrong.what}
            {place >= 0 ? `, at character ${place + 1}. ` : " "}
            {wrong.mend}
          </div>
        ) : (
          <p className="text-soft">{hint}</p>
        )}
      </div>
    </div>
  );
}
