import {
  type ComponentType,
  type ReactNode,
  useEffect,
  useId,
  useLayoutEffect,
  useRef,
  useSyncExternalStore,
} from "react";
import { keyOf, useKeySettings } from "./keys";
import { opened } from "./opened";

/** Something a person can do here. Whatever a button does is one of these, so the palette knows it too. */
export interface Action {
  id: string;
  label: string;
  run: () => void;
  keys?: string;
  disabled?: boolean;
}

const registry = new Map<string, { action: { current: Action }; order: number }>();
let snapshot: Action[] = [];
let counter = 0;
const listeners = new Set<() => void>();

function refresh() {
  snapshot = [...registry.values()].sort((a, b) => a.order - b.order).map((entry) => entry.action.current);
  for (const listener of listeners) listener();
}

function subscribe(listener: () => void) {
  listeners.add(listener);
  return () => {
    listeners.delete(listener);
  };
}

/** Every action that can be done on this page. */
export function useActions(): Action[] {
  return useSyncExternalStore(subscribe, () => snapshot);
}

/** Makes an action known to the palette and its key, for as long as the caller is shown. */
export function useAction(action: Action) {
  const latest = useRef(action);
  latest.current = action;
  const own = useId();
  const { id, label, disabled } = action;
  // Known as soon as it is seen.
  // biome-ignore lint/correctness/useExhaustiveDependencies: what the palette shows has changed
  useLayoutEffect(() => {
    registry.set(own, { action: latest, order: registry.get(own)?.order ?? counter++ });
    refresh();
  }, [own, id, label, disabled]);
  useEffect(
    () => () => {
      registry.delete(own);
      refresh();
    },
    [own],
  );
}

const looks = {
  plain: "text-act hover:bg-wash",
  strong: "bg-act text-onact hover:opacity-90",
  quiet: "text-soft hover:text-ink hover:bg-wash",
} as const;

interface Props extends Action {
  look?: keyof typeof looks;
  icon?: ComponentType<{ size?: number; "aria-hidden"?: boolean }>;
  children?: ReactNode;
  bare?: boolean;
  pressed?: boolean;
  className?: string;
}

/** A button that is an action: `children` or the label stand on it; `bare` shows the icon alone. */
export function ActionButton({
  look = "plain",
  icon: Icon,
  children,
  bare,
  pressed,
  className = "",
  ...action
}: Props) {
  useAction(action);
  useKeySettings();
  const key = keyOf(action);
  // The name a screen reader says must hold what is seen on the button.
  const named = bare || (typeof children === "string" && action.label.includes(children));
  return (
    <button
      type="button"
      data-action={action.id}
      disabled={action.disabled}
      aria-pressed={pressed}
      aria-label={named ? action.label : undefined}
      title={key ? `${action.label} (${key})` : bare || children !== undefined ? action.label : undefined}
      onClick={action.run}
      className={`inline-flex items-center gap-1.5 rounded px-2 py-1 text-sm aria-pressed:bg-wash disabled:cursor-not-allowed disabled:opacity-45 ${looks[look]} ${className}`}
    >
      {Icon && <Icon size={16} aria-hidden />}
      {!bare && (children ?? action.label)}
    </button>
  );
}

/** Keys of actions, wherever the focus is but in a field. */
export function useKeys() {
  useEffect(() => {
    const press = (event: KeyboardEvent) => {
      const target = event.target as HTMLElement;
      const typing = target.matches("input:not([type=checkbox]), textarea, select, [contenteditable]");
      const ctrl = event.ctrlKey || event.metaKey;
      const name =
        (ctrl ? "Ctrl+" : "") +
        (event.shiftKey && event.key.length > 1 ? "Shift+" : "") +
        (event.key.length === 1 ? event.key.toLowerCase() : event.key);
      const shifted = ctrl && event.shiftKey ? `Ctrl+Shift+${event.key.toLowerCase()}` : name;
      // What is typed for the palette before it is there is no key of the page.
      if (opened() === "palette" && !ctrl) return;
      if (typing && shifted !== "Ctrl+k") return;
      const action = snapshot.find((a) => keyOf(a)?.toLowerCase() === shifted.toLowerCase());
      if (action && !action.disabled) {
        event.preventDefault();
        action.run();
      }
    };
    window.addEventListener("keydown", press);
    return () => window.removeEventListener("keydown", press);
  }, []);
}
