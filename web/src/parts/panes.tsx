import type { ReactNode } from "react";

/** What there is, on the left; the thing in hand, on the right. Each scrolls alone. */
export function Panes({ left, right, label }: { left: ReactNode; right: ReactNode; label: string }) {
  return (
    <div className="grid min-h-0 grow grid-cols-[22rem_minmax(0,1fr)] [&>*]:relative">
      {/* biome-ignore lint/a11y/noNoninteractiveTabindex: a scrolling region is reached by keyboard */}
      <section aria-label={label} tabIndex={0} className="min-h-0 overflow-y-auto border-hair border-r py-3 pr-3 pl-6">
        {left}
      </section>
      {/* biome-ignore lint/a11y/noNoninteractiveTabindex: a scrolling region is reached by keyboard */}
      <main tabIndex={0} className="min-h-0 overflow-y-auto px-8 py-4">
        {right}
      </main>
    </div>
  );
}

export function Heading({ children, over }: { children: ReactNode; over?: ReactNode }) {
  return (
    <header className="mb-3">
      {over && <p className="text-soft text-sm">{over}</p>}
      <h1 className="max-w-3xl font-serif text-2xl leading-snug">{children}</h1>
    </header>
  );
}

export function Sub({ children }: { children: ReactNode }) {
  return <h2 className="mt-5 mb-1.5 border-rule border-b pb-0.5 font-semibold font-serif text-lg">{children}</h2>;
}

/** An empty screen that says what to do next. */
export function Empty({ title, children }: { title: string; children: ReactNode }) {
  return (
    <div className="mx-auto mt-16 max-w-md text-center">
      <h1 className="mb-2 font-serif text-xl">{title}</h1>
      <div className="text-soft">{children}</div>
    </div>
  );
}

/** A share as a bar in the line. */
export function Bar({ share, heed }: { share: number; heed?: boolean }) {
  return (
    <span className="inline-block h-2.5 w-full bg-hair align-middle" aria-hidden>
      <span
        className={`block h-full ${heed ? "bg-heed" : "bg-act"}`}
        style={{ width: `${Math.min(100, 100 * share)}%` }}
      />
    </span>
  );
}

/** Arrow keys go through a list of links. */
export function arrows(event: React.KeyboardEvent<HTMLElement>) {
  const by = event.key === "ArrowDown" ? 1 : event.key === "ArrowUp" ? -1 : 0;
  const links = [...event.currentTarget.querySelectorAll<HTMLElement>("a[href]")];
  const at = links.indexOf(document.activeElement as HTMLElement);
  const next = links[at + by];
  if (by && next) {
    event.preventDefault();
    next.focus();
    next.click();
  }
}
