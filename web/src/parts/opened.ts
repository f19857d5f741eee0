import { useSyncExternalStore } from "react";

/** Which of the floating things is open: at most one. */
type Floating = "palette" | "help" | null;

let open: Floating = null;
const listeners = new Set<() => void>();

export function show(what: Floating) {
  open = what;
  for (const listener of listeners) listener();
}

/** Which of them is open now. */
export const opened = () => open;

export const useOpened = () =>
  useSyncExternalStore(
    (listener) => {
      listeners.add(listener);
      return () => listeners.delete(listener);
    },
    () => open,
  );
