import { CaretDown, CaretUp } from "@phosphor-icons/react";
import { Link, useNavigate, useSearch } from "@tanstack/react-router";
import { type ReactNode, useEffect } from "react";
import { unreachedWhy } from "../api/asked";
import { useSaved, useSaving } from "../api/queries";
import { ActionButton } from "../parts/actions";
import { clock, count, plural } from "../parts/figures";

function Opens({
  to,
  children,
}: {
  to: "intake" | "screening/flow" | "screening/cells" | "weighting" | "tables/_all";
  children: ReactNode;
}) {
  const study = useSaved();
  return (
    <Link
      to={`/study/$id/${to}` as "/study/$id/release/{-$item}"}
      params={{ id: study.id }}
      className="figures font-semibold underline decoration-hair underline-offset-4 hover:decoration-act"
    >
      {children}
    </Link>
  );
}

/** Where the study stands, in one sentence. Each number opens what it counts. */
export function TallyLine() {
  const study = useSaved();
  const { tally } = study;
  const saving = useSaving();
  const unsaved = saving !== "saved";
  // Left before it is saved, a change would be lost; the browser asks.
  useEffect(() => {
    if (!unsaved) return;
    const ask = (e: BeforeUnloadEvent) => e.preventDefault();
    window.addEventListener("beforeunload", ask);
    return () => window.removeEventListener("beforeunload", ask);
  }, [unsaved]);
  const { ledger } = useSearch({ from: "/study/$id" });
  const navigate = useNavigate();
  const entries = study.document.ledger?.length ?? 0;
  return (
    <section
      aria-label="Tally"
      className="flex items-center justify-between gap-4 border-hair border-b px-6 py-1 text-sm"
    >
      <p data-testid="tally">
        <Opens to="intake">{count(tally.received)}</Opens> received
        {tally.blank_records > 0 && <> (and {plural(tally.blank_records, "blank record")} skipped)</>},{" "}
        <Opens to="screening/flow">{count(tally.set_aside)}</Opens> set aside,{" "}
        <Opens to="screening/cells">{count(tally.in_use)}</Opens> in use
        {tally.effective != null && tally.weight && (
          <>
            , effective sample size <Opens to="weighting">{count(tally.effective)}</Opens>, weighted to{" "}
            <Opens to="weighting">{count(tally.weighted_to ?? 0)}</Opens>
          </>
        )}
        {tally.effective != null && !tally.weight && ", unweighted"}.{" "}
        {study.document.where && (
          <>
            Tables: only where <Opens to="tables/_all">{study.document.where}</Opens>.{" "}
          </>
        )}
        <span
          className={saving === "unreached" ? "text-heed" : "text-soft"}
          data-saving={unsaved || undefined}
          role={saving === "unreached" ? "alert" : undefined}
        >
          {saving === "saved" && `Saved at ${clock(study.changed)}.`}
          {saving === "saving" && "Saving …"}
          {saving === "unreached" && `▲ Not saved yet: ${unreachedWhy(study.id)}. Trying again.`}
        </span>
      </p>
      <ActionButton
        id="ledger"
        label={ledger ? "Close the ledger" : "Open the ledger"}
        keys="l"
        run={() => navigate({ to: ".", search: ledger ? {} : { ledger: true } })}
        icon={ledger ? CaretUp : CaretDown}
        pressed={ledger ?? false}
        className="shrink-0"
      >
        Ledger, {plural(entries, "entry", "entries")}
      </ActionButton>
    </section>
  );
}
