import { ArrowUUpLeft, ArrowUUpRight, Hash, TextAa } from "@phosphor-icons/react";
import { Link, Outlet, useNavigate } from "@tanstack/react-router";
import { type ReactNode, Suspense } from "react";
import { useChange, useSettled, useStudy } from "../api/queries";
import { ActionButton, useAction } from "../parts/actions";
import { CommonActions } from "../parts/common-actions";
import { useShowing } from "../parts/labels";
import { Faults } from "../parts/notices";
import { STATIONS, type StationName } from "../stations";
import { LedgerPage } from "./ledger";
import { Path } from "./path";
import { SampleLine } from "./sample";
import { TallyLine } from "./tally";

function TitleField() {
  const study = useStudy();
  const { change } = useChange();
  return (
    <input
      key={study.title}
      aria-label="Title of the study"
      defaultValue={study.title}
      onKeyDown={(e) => e.key === "Enter" && e.currentTarget.blur()}
      onBlur={(e) => {
        const title = e.target.value.trim();
        if (title && title !== study.title) change.mutate({ title });
        else e.target.value = study.title;
      }}
      className="min-w-0 grow truncate rounded bg-transparent px-1 font-serif text-xl hover:bg-wash"
    />
  );
}

export function StudyShell() {
  const study = useStudy();
  const { move } = useChange();
  const showing = useShowing();
  const navigate = useNavigate();
  return (
    <div className="flex h-screen min-w-[60rem] flex-col">
      <header className="flex items-center gap-2 px-6 pt-2.5">
        <Link to="/" className="shrink-0 text-soft text-sm hover:text-ink">
          Even Ballot
        </Link>
        <span className="text-rule" aria-hidden>
          /
        </span>
        <TitleField />
        <ActionButton
          id="undo"
          label={study.undo ? `Undo: ${study.undo}` : "Nothing to undo"}
          keys="Ctrl+z"
          disabled={!study.undo || move.isPending}
          run={() => move.mutate("undo")}
          icon={ArrowUUpLeft}
          bare
          look="quiet"
        />
        <ActionButton
          id="redo"
          label={study.redo ? `Redo: ${study.redo}` : "Nothing to redo"}
          keys="Ctrl+Shift+z"
          disabled={!study.redo || move.isPending}
          run={() => move.mutate("redo")}
          icon={ArrowUUpRight}
          bare
          look="quiet"
        />
        <ActionButton
          id="codes"
          label={showing.codes ? "Show words in place of codes" : "Show codes in place of words"}
          keys="c"
          run={showing.toggle}
          icon={showing.codes ? Hash : TextAa}
          look="quiet"
          pressed={showing.codes}
        >
          {showing.codes ? "Codes" : "Words"}
        </ActionButton>
        <CommonActions />
      </header>
      <Path />
      <TallyLine />
      <SampleLine />
      <LedgerPage />
      {study.faults.length > 0 && (
        <section aria-label="Blocking problems" className="px-6">
          <Faults faults={study.faults} />
        </section>
      )}
      <Anew>
        <Suspense fallback={<p className="p-8 text-soft">Loading …</p>}>
          <Outlet />
        </Suspense>
      </Anew>
      <StationKeys go={(station) => navigate({ to: `/study/$id/${station}`, params: { id: study.id } })} />
    </div>
  );
}

/** Marks the figures of a page as long as they are those of before the last change. */
function Anew({ children }: { children: ReactNode }) {
  const anew = !useSettled();
  return (
    <div aria-busy={anew} className="relative flex min-h-0 grow flex-col">
      {anew && (
        <p role="status" className="anew absolute top-1 right-6 z-30 rounded bg-heedwash px-2 py-0.5 text-heed text-sm">
          Recalculating; figures are those before the change …
        </p>
      )}
      {children}
    </div>
  );
}

function StationKeys({ go }: { go: (station: StationName) => void }) {
  return STATIONS.map((station) => <StationKey key={station.name} station={station} go={go} />);
}

function StationKey({ station, go }: { station: (typeof STATIONS)[number]; go: (station: StationName) => void }) {
  const { name, title, key } = station;
  useAction({ id: `go-${name}`, label: `Go to ${title}`, keys: key, run: () => go(name) });
  return null;
}
