import { type ReactNode, useState } from "react";

const key = (id: string) => `even-ballot-fold-${id}`;

function remembered(id: string) {
  try {
    return localStorage.getItem(key(id)) === "open";
  } catch {
    return false;
  }
}

/** Something that can be opened, and says in a line what is in it; stays as it was left. */
export function Fold({ id, title, says, children }: { id: string; title: string; says: string; children: ReactNode }) {
  const [open, setOpen] = useState(() => remembered(id));
  return (
    <details
      data-fold={id}
      open={open}
      className="border-hair border-t py-0.5"
      onToggle={(e) => {
        const to = e.currentTarget.open;
        setOpen(to);
        try {
          localStorage.setItem(key(id), to ? "open" : "");
        } catch {
          // Nothing to remember it in.
        }
      }}
    >
      <summary className="cursor-pointer py-0.5 text-sm">
        <span className="font-semibold">{title}</span>
        <span className="pl-2 text-soft">{says}</span>
      </summary>
      {open && <div className="pb-1">{children}</div>}
    </details>
  );
}
