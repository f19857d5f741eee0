import { ListMagnifyingGlass, Power } from "@phosphor-icons/react";
import { useNavigate } from "@tanstack/react-router";
import { Fragment } from "react";
import { useChange, useFlow, useSettled, useStudy } from "../../api/queries";
import { ActionButton } from "../../parts/actions";
import { count, plural } from "../../parts/figures";
import { Heading } from "../../parts/panes";

/** How many of the cases received are left, as a bar. */
function Left({ share, gone }: { share: number; gone: number }) {
  return (
    <span className="flex h-5 w-full" aria-hidden>
      <span className="h-full bg-act" style={{ width: `${100 * share}%` }} />
      <span
        className="h-full border-heed border-y border-r bg-[repeating-linear-gradient(135deg,var(--heed)_0_2px,var(--heedwash)_2px_6px)]"
        style={{ width: `${100 * gone}%` }}
      />
    </span>
  );
}

/** Cases received, set aside by which entry and why, and in use; those set aside can be looked at and taken back. */
export function Flow() {
  const study = useStudy();
  const flow = useFlow();
  const { change } = useChange();
  const settled = useSettled();
  const navigate = useNavigate();
  const whole = Math.max(flow.received, 1);
  const steps = study.document.ledger ?? [];
  const row = "grid grid-cols-[6rem_minmax(0,1fr)] items-center gap-4 py-1";
  return (
    <section aria-label="Flow of cases" className="max-w-3xl">
      <Heading over="From what was received to what is in use">Flow of cases</Heading>
      <div className={row}>
        <span className="figures text-right font-serif text-xl">{count(flow.received)}</span>
        <span>
          received
          <Left share={1} gone={0} />
        </span>
      </div>
      {flow.entries.map((entry) => (
        <Fragment key={entry.step}>
          <div className={`${row} border-hair border-t ${entry.off ? "opacity-60" : ""}`}>
            <span className="figures text-right text-heed">{entry.off ? "off" : `− ${count(entry.cases)}`}</span>
            <div>
              <p>
                <span className="font-serif">{entry.why ?? entry.sentence}</span>
                {entry.why && <span className="block truncate text-soft text-sm">{entry.sentence}</span>}
              </p>
              <Left share={entry.left / whole} gone={entry.cases / whole} />
              <p className="flex gap-1">
                <ActionButton
                  id={`list-aside-${entry.step}`}
                  label={`List the ${plural(entry.cases, "case")} of entry ${entry.step}`}
                  icon={ListMagnifyingGlass}
                  look="quiet"
                  disabled={entry.off || !entry.cases}
                  run={() =>
                    navigate({
                      to: "/study/$id/screening/{-$item}",
                      params: { id: study.id, item: "cells" },
                      search: { aside: entry.step },
                    })
                  }
                />
                <ActionButton
                  id={`take-back-${entry.step}`}
                  label={
                    entry.off ? `Set them aside again (entry ${entry.step})` : `Restore them all (entry ${entry.step})`
                  }
                  icon={Power}
                  look="quiet"
                  disabled={!settled}
                  run={() =>
                    change.mutate({
                      ledger: steps.map((s, i) => (i === entry.step - 1 ? { ...s, off: !s.off } : s)),
                    })
                  }
                />
              </p>
            </div>
          </div>
        </Fragment>
      ))}
      <div className={`${row} border-rule border-t`}>
        <span className="figures text-right font-serif text-xl">{count(flow.in_use)}</span>
        <span>
          in use
          <Left share={flow.in_use / whole} gone={0} />
        </span>
      </div>
      {!flow.entries.length && <p className="text-soft">Nobody has been set aside.</p>}
    </section>
  );
}
