import { type ComponentProps, type ReactNode, useId } from "react";

const box =
  "w-full rounded border border-rule bg-leaf px-2 py-1 text-sm text-ink placeholder:text-soft disabled:opacity-50";

/** A labelled field; what is wrong with it stands beneath. */
export function Field({
  label,
  hint,
  wrong,
  children,
}: {
  label: string;
  hint?: ReactNode;
  wrong?: string;
  children: (props: { id: string; "aria-describedby"?: string; "aria-invalid"?: boolean }) => ReactNode;
}) {
  const id = useId();
  return (
    <div className="my-2">
      <label htmlFor={id} className="mb-0.5 block font-semibold text-sm">
        {label}
      </label>
      {children({
        id,
        "aria-describedby": hint || wrong ? `${id}-hint` : undefined,
        "aria-invalid": wrong ? true : undefined,
      })}
      {(wrong || hint) && (
        <p id={`${id}-hint`} className={`mt-0.5 text-xs ${wrong ? "text-heed" : "text-soft"}`}>
          {wrong ?? hint}
        </p>
      )}
    </div>
  );
}

export function TextInput(props: ComponentProps<"input">) {
  return <input {...props} className={`${box} ${props.className ?? ""}`} />;
}

export function TextArea(props: ComponentProps<"textarea">) {
  return <textarea {...props} className={`${box} ${props.className ?? ""}`} />;
}

export function Choice({
  options,
  ...props
}: { options: readonly (readonly [value: string, label: string])[] } & ComponentProps<"select">) {
  return (
    <select {...props} className={`${box} ${props.className ?? ""}`}>
      {options.map(([value, label]) => (
        <option key={value} value={value}>
          {label}
        </option>
      ))}
    </select>
  );
}

export function Tick({ label, ...props }: { label: ReactNode } & ComponentProps<"input">) {
  return (
    <label className="flex cursor-pointer items-center gap-2 py-0.5 text-sm">
      <input type="checkbox" {...props} className="size-4 accent-[var(--act)]" />
      <span>{label}</span>
    </label>
  );
}
