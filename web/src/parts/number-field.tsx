import { useState } from "react";
import { TextInput } from "./fields";
import { count } from "./figures";

/** A number as people write it: 12,830 and 12 830 are thousands, 0,48 has decimals. NaN where it is none. */
export const numberIn = (text: string) => Number(text.replace(/[\s,](?=\d{3}\b)/g, "").replace(",", "."));

/** Whole thousands apart, everything else as it is. */
const written = (n: number) => (Number.isInteger(n) && n >= 1000 ? count(n) : String(n));

/** A number that is taken when the field is left or Enter is pressed; Escape brings back what was. */
export function NumberField({
  value,
  take,
  fits = (n) => n >= 0,
  empty = true,
  className = "!w-24",
  ...rest
}: {
  value?: number | null;
  take: (value: number | null) => void;
  fits?: (n: number) => boolean;
  empty?: boolean;
  className?: string;
  "aria-label"?: string;
  id?: string;
  placeholder?: string;
  disabled?: boolean;
}) {
  const [text, setText] = useState<string | null>(null);
  const shown = text ?? (value == null ? "" : written(value));
  const parsed = numberIn(shown);
  const blank = shown.trim() === "";
  const wrong = blank ? !empty && text != null : !(Number.isFinite(parsed) && fits(parsed));
  const leave = () => {
    if (text == null || wrong) return;
    const to = blank ? null : parsed;
    if (to !== (value ?? null)) take(to);
    setText(null);
  };
  return (
    <TextInput
      {...rest}
      aria-invalid={wrong || undefined}
      inputMode="decimal"
      className={`figures text-right ${className} ${wrong ? "!border-heed" : ""}`}
      value={shown}
      onChange={(e) => setText(e.target.value)}
      onBlur={leave}
      onKeyDown={(e) => {
        if (e.key === "Enter") leave();
        if (e.key === "Escape") setText(null);
      }}
    />
  );
}
