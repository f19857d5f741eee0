import { useSyncExternalStore } from "react";

/** Keys without Ctrl: they can be switched off, and each can be another one. */
interface Keys {
  off: boolean;
  own: Record<string, string>;
}

const STORED = "even-ballot-keys";
const NONE: Keys = { off: false, own: {} };

function stored(): Keys {
  try {
    const found = JSON.parse(localStorage.getItem(STORED) ?? "null") as Partial<Keys> | null;
    return { off: found?.off === true, own: { ...found?.own } };
  } catch {
    return NONE;
  }
}

let keys: Keys | undefined;
const listeners = new Set<() => void>();
const now = () => {
  keys ??= stored();
  return keys;
};

function put(to: Keys) {
  keys = to;
  try {
    localStorage.setItem(STORED, JSON.stringify(to));
  } catch {
    // Where nothing can be stored, it holds until the page is left.
  }
  for (const listener of listeners) listener();
}

export const useKeySettings = () =>
  useSyncExternalStore(
    (listener) => {
      listeners.add(listener);
      return () => listeners.delete(listener);
    },
    now,
    () => NONE,
  );

/** Whether a key stands alone: pressed by accident, or by a voice, it would do something. */
export const alone = (key: string) => !key.startsWith("Ctrl+");

/** The key of an action as it is set; none where keys that stand alone are off. */
export function keyOf(action: { id: string; keys?: string }): string | undefined {
  if (!action.keys || !alone(action.keys)) return action.keys;
  return now().off ? undefined : (now().own[action.id] ?? action.keys);
}

export const switchKeys = (off: boolean) => put({ ...now(), off });

/** Another key for an action; its own again where it is the one it came with. */
export function setKey(action: { id: string; keys?: string }, key: string) {
  const { [action.id]: _, ...others } = now().own;
  put({ ...now(), own: key === action.keys ? others : { ...others, [action.id]: key } });
}
