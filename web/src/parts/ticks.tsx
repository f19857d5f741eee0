import { type ComponentProps, type KeyboardEvent, useRef } from "react";
import { flushSync } from "react-dom";

/** The arrow keys go through the ticks of a list; with Shift they tick those they come to. */
export function throughTicks(event: KeyboardEvent<HTMLElement>, list: Element | null = event.currentTarget) {
  const by = event.key === "ArrowDown" ? 1 : event.key === "ArrowUp" ? -1 : 0;
  const boxes = [...(list?.querySelectorAll<HTMLInputElement>('input[type="checkbox"]') ?? [])];
  const at = boxes.indexOf(event.target as HTMLInputElement);
  if (!by || at < 0) return;
  event.preventDefault();
  const next = boxes[at + by];
  next?.focus();
  if (event.shiftKey && next && !next.checked) next.click();
}

/** A list of ticks. A click with Shift does the same to all from the one ticked before. */
export function Ticks(props: ComponentProps<"div">) {
  const last = useRef<HTMLInputElement | null>(null);
  return (
    // biome-ignore lint/a11y/noStaticElementInteractions: what is pressed are the ticks inside
    <div
      {...props}
      onKeyDown={throughTicks}
      onClick={(event) => {
        const box = event.target;
        if (!(box instanceof HTMLInputElement)) return;
        const before = last.current;
        last.current = box;
        if (!event.shiftKey || !before) return;
        const boxes = [...event.currentTarget.querySelectorAll<HTMLInputElement>('input[type="checkbox"]')];
        const [from, to] = [boxes.indexOf(before), boxes.indexOf(box)].sort((a, b) => a - b) as [number, number];
        const on = box.checked;
        // Once this press is done, each of the others, which has to see what the one before it has changed.
        setTimeout(() => {
          for (const one of boxes.slice(Math.max(from, 0), to + 1))
            if (one.checked !== on) flushSync(() => one.click());
          last.current = box;
        });
      }}
    />
  );
}
