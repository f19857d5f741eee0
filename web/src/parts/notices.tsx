import { X } from "@phosphor-icons/react";
import { useSyncExternalStore } from "react";
import { type Fault, Refusal } from "../api/client";
import { placeInWords } from "./places";

interface Notice {
  key: number;
  faults: Fault[];
  way?: { label: string; go: () => void };
}

let notices: Notice[] = [];
let next = 1;
const listeners = new Set<() => void>();

function set(to: Notice[]) {
  notices = to;
  for (const listener of listeners) listener();
}

function dismiss(key: number) {
  set(notices.filter((n) => n.key !== key));
}

/** Says what went wrong, or what was done and how to take it back. */
export function tell(about: Error | string, way?: Notice["way"]) {
  const faults =
    about instanceof Refusal
      ? about.faults
      : [{ what: typeof about === "string" ? about : about.message, where: "", mend: "" }];
  const key = next++;
  set([...notices.slice(-2), { key, faults, way }]);
  if (typeof about === "string") setTimeout(() => dismiss(key), 9000);
}

export function Notices() {
  const shown = useSyncExternalStore(
    (listener) => {
      listeners.add(listener);
      return () => listeners.delete(listener);
    },
    () => notices,
  );
  return (
    <section aria-live="polite" aria-label="Notices" className="fixed right-4 bottom-4 z-50 flex w-96 flex-col gap-2">
      {shown.map((notice) => (
        <div key={notice.key} className="unroll flex gap-3 border-heed border-l-4 bg-leaf p-3 shadow-lg" role="status">
          <div className="grow text-sm">
            {notice.faults.map((fault) => (
              <FaultText key={fault.what + fault.where} fault={fault} />
            ))}
            {notice.way && (
              <button
                type="button"
                data-passing
                className="mt-1 text-act underline"
                onClick={() => {
                  notice.way?.go();
                  dismiss(notice.key);
                }}
              >
                {notice.way.label}
              </button>
            )}
          </div>
          <button
            type="button"
            data-passing
            aria-label="Dismiss"
            onClick={() => dismiss(notice.key)}
            className="self-start"
          >
            <X />
          </button>
        </div>
      ))}
    </section>
  );
}

/** What is wrong, with the place in the formula. */
export const saidOf = (fault: Fault) =>
  fault.at == null ? fault.what : `${fault.what}, at character ${fault.at + 1} of “${fault.of ?? ""}”.`;

export function FaultText({ fault }: { fault: Fault }) {
  const place = placeInWords(fault.where ?? "");
  return (
    <p>
      <span className="font-semibold">{saidOf(fault)}</span> {fault.mend}
      {place && <span className="block text-soft text-xs">at {place}</span>}
    </p>
  );
}

/** Faults next to the place they concern. */
export function Faults({ faults }: { faults: readonly Fault[] }) {
  if (!faults.length) return null;
  return (
    <div role="alert" className="my-3 space-y-1 border-heed border-l-4 bg-heedwash px-3 py-2 text-sm">
      {faults.map((fault) => (
        <FaultText key={fault.what + fault.where} fault={fault} />
      ))}
    </div>
  );
}
