import { ArrowDown, ArrowUp, Eye, PencilSimple, Power, Trash } from "@phosphor-icons/react";
import { useQuery } from "@tanstack/react-query";
import { Link, useSearch } from "@tanstack/react-router";
import { Suspense, useState } from "react";
import { api, got, type Schema, type Step } from "../api/client";
import { useChange, useLedger, useSettled, useStudy } from "../api/queries";
import { ActionButton } from "../parts/actions";
import { TextInput } from "../parts/fields";
import { count, day, plural } from "../parts/figures";
import { Faults } from "../parts/notices";
import { TrialView } from "../parts/trial";
import { EntryEditor } from "./entry-editor";

/** What an entry did, in words. */
function effect(entry: Schema["LedgerEntry"]) {
  if (entry.off) return "switched off";
  if (!entry.reached) return "not reached";
  if (entry.cases_before == null || entry.cases_after == null) return "stops here";
  const gone = entry.cases_before - entry.cases_after;
  const parts = [];
  if (gone) parts.push(`${plural(gone, "case")} set aside, ${count(entry.cases_after)} left`);
  if (entry.cells_changed) parts.push(`${plural(entry.cells_changed, "cell")} changed`);
  const lost = Object.entries(entry.unplaced);
  if (lost.length) {
    const cells = lost.reduce((sum, [, words]) => sum + Object.values(words).reduce((a, b) => a + b, 0), 0);
    parts.push(
      `${plural(cells, "answer")} unrecognised (${Object.keys(lost[0]?.[1] ?? {})
        .slice(0, 3)
        .join(", ")})`,
    );
  }
  return parts.join("; ") || "no case and no cell changed";
}

/** Before and after of an entry, fetched when it is opened. */
function BeforeAfter({ step }: { step: number }) {
  const study = useStudy();
  const { data, error } = useQuery({
    queryKey: ["below", study.id, study.edition, "entry", step],
    queryFn: () =>
      got(
        api.GET("/api/v1/studies/{study_id}/ledger/{entry}", {
          params: { path: { study_id: study.id, entry: step } },
        }),
      ),
    retry: false,
  });
  if (error)
    return <p className="text-soft text-sm">This entry has not been applied, so there is nothing to compare.</p>;
  if (!data) return <p className="text-soft text-sm">Comparing …</p>;
  return (
    <div className="my-1 border-hair border-l-4 pl-4">
      <TrialView trial={data} bare />
      {data.cases_before > data.cases_after && (
        <Link
          to="/study/$id/screening/{-$item}"
          params={{ id: study.id, item: "cells" }}
          search={{ aside: step }}
          className="text-act text-sm underline"
        >
          Look at the {plural(data.cases_before - data.cases_after, "case")} set aside
        </Link>
      )}
    </div>
  );
}

function Entry({ entry }: { entry: Schema["LedgerEntry"] }) {
  const [asking, setAsking] = useState(false);
  const [open, setOpen] = useState<"seen" | "edited" | null>(null);
  const study = useStudy();
  const { change } = useChange();
  const settled = useSettled();
  const at = entry.step - 1;
  const steps = study.document.ledger ?? [];
  const move = (by: number) => {
    const to = [...steps];
    const [moved] = to.splice(at, 1);
    if (moved) to.splice(at + by, 0, moved);
    change.mutate({ ledger: to });
  };
  const setWhy = (text: string) => {
    const why = text.trim() || null;
    if (why !== (entry.why ?? null)) change.mutate({ ledger: steps.map((s, i) => (i === at ? { ...s, why } : s)) });
  };
  return (
    <li
      className={`group grid grid-cols-[2rem_minmax(0,1fr)_auto] items-start gap-x-2 py-1.5 ${entry.off ? "opacity-60" : ""}`}
    >
      <span className="figures pt-0.5 text-right text-soft text-sm">{entry.step}.</span>
      <div>
        <p className={`font-serif ${entry.off ? "line-through decoration-1" : ""}`}>
          {entry.sentence}
          {entry.why && <span className="text-soft italic">; reason: {entry.why}</span>}.{" "}
          {asking ? (
            <TextInput
              aria-label={`Why entry ${entry.step}`}
              className="!w-80"
              defaultValue={entry.why ?? ""}
              onKeyDown={(e) => {
                if (e.key === "Enter") e.currentTarget.blur();
                if (e.key === "Escape") setAsking(false);
              }}
              onBlur={(e) => {
                // Until then what is typed stays.
                if (!settled) return;
                setWhy(e.target.value);
                setAsking(false);
              }}
            />
          ) : (
            <ActionButton
              id={`why-${entry.step}`}
              label={`Say why: entry ${entry.step}`}
              look="quiet"
              className="!px-1 !py-0 font-sans"
              disabled={!settled}
              run={() => setAsking(true)}
            >
              {entry.why ? "change" : "why?"}
            </ActionButton>
          )}
        </p>
        <p className={`text-sm ${Object.keys(entry.unplaced).length ? "text-heed" : "text-soft"}`}>
          {effect(entry)}
          {entry.when && (
            <span className="text-soft">
              ; {day(entry.when)}, {entry.who}
            </span>
          )}
        </p>
        {open === "seen" && <BeforeAfter step={entry.step} />}
        {open === "edited" && steps[at] && <EntryEditor at={at} step={steps[at] as Step} done={() => setOpen(null)} />}
        {entry.fault && <Faults faults={[entry.fault]} />}
      </div>
      <div className="flex">
        <ActionButton
          id={`open-${entry.step}`}
          label={`Before and after of entry ${entry.step}`}
          icon={Eye}
          bare
          look="quiet"
          pressed={open === "seen"}
          disabled={entry.off || entry.cases_before == null}
          run={() => setOpen(open === "seen" ? null : "seen")}
        />
        <ActionButton
          id={`edit-${entry.step}`}
          label={`Change entry ${entry.step}: ${entry.sentence}`}
          icon={PencilSimple}
          bare
          look="quiet"
          pressed={open === "edited"}
          run={() => setOpen(open === "edited" ? null : "edited")}
        />
        <ActionButton
          id={`earlier-${entry.step}`}
          label={`Move entry ${entry.step} up: ${entry.sentence}`}
          icon={ArrowUp}
          bare
          look="quiet"
          disabled={!settled || at === 0}
          run={() => move(-1)}
        />
        <ActionButton
          id={`later-${entry.step}`}
          label={`Move entry ${entry.step} down: ${entry.sentence}`}
          icon={ArrowDown}
          bare
          look="quiet"
          disabled={!settled || at === steps.length - 1}
          run={() => move(1)}
        />
        <ActionButton
          id={`switch-${entry.step}`}
          label={`${entry.off ? "Switch on" : "Switch off"} entry ${entry.step}: ${entry.sentence}`}
          icon={Power}
          pressed={!entry.off}
          look="quiet"
          disabled={!settled}
          run={() => change.mutate({ ledger: steps.map((s, i) => (i === at ? { ...s, off: !s.off } : s)) })}
        >
          {entry.off ? "Switch on" : "Switch off"}
        </ActionButton>
        <ActionButton
          id={`remove-${entry.step}`}
          label={`Delete entry ${entry.step}: ${entry.sentence}`}
          icon={Trash}
          bare
          look="quiet"
          disabled={!settled}
          run={() => change.mutate({ ledger: steps.filter((_, i) => i !== at) })}
        />
      </div>
    </li>
  );
}

function Entries() {
  const data = useLedger();
  if (!data.length)
    return (
      <p className="py-3 text-soft">
        Nothing has been done to the answers yet. Every step you take is written down here.
      </p>
    );
  return (
    <ol className="mx-auto max-w-4xl">
      {data.map((entry) => (
        <Entry key={`${entry.step}-${entry.sentence}`} entry={entry} />
      ))}
    </ol>
  );
}

/** The journal of what was done, unrolled from under the tally. */
export function LedgerPage() {
  const { ledger } = useSearch({ from: "/study/$id" });
  if (!ledger) return null;
  return (
    <section
      aria-label="Ledger"
      // biome-ignore lint/a11y/noNoninteractiveTabindex: a scrolling region is reached by keyboard
      tabIndex={0}
      className="unroll max-h-[58vh] shrink-0 overflow-y-auto border-rule border-b bg-leaf px-6 py-2"
    >
      <Suspense fallback={<p className="text-soft">Loading …</p>}>
        <Entries />
      </Suspense>
    </section>
  );
}
