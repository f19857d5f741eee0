import { Link, useLocation } from "@tanstack/react-router";
import { useState } from "react";
import { api, type Fault, got, Refusal } from "../api/client";
import { ActionButton } from "../parts/actions";
import { Faults } from "../parts/notices";
import { Empty } from "../parts/panes";

/** A page that cannot be shown: says why, and what gets a study out of it. */
export function Broken({ error }: { error?: unknown }) {
  const study = useLocation().pathname.match(/^\/study\/([^/]+)/)?.[1];
  return (
    <main>
      <Empty title={error != null ? "This page cannot be shown" : "There is no such page"}>
        {error != null && <Faults faults={faultsOf(error)} />}
        {error != null && study != null && <WaysOut study={study} />}
        <Link to="/" className="text-act underline">
          Back to the studies
        </Link>
      </Empty>
    </main>
  );
}

function faultsOf(error: unknown): Fault[] {
  return error instanceof Refusal ? error.faults : [{ what: String(error), where: "", mend: "Load the page again." }];
}

/** Undo, the ledger with the entry at fault, and the study file. */
function WaysOut({ study }: { study: string }) {
  const [refused, setRefused] = useState<Fault[]>();
  const path = { study_id: study };
  async function undo() {
    try {
      await got(api.POST("/api/v1/studies/{study_id}/undo", { params: { path }, body: {} }));
      window.location.reload();
    } catch (failed) {
      setRefused(faultsOf(failed));
    }
  }
  return (
    <div className="my-4 flex flex-col items-start gap-2">
      {refused && <Faults faults={refused} />}
      <ActionButton id="undo-from-broken" label="Undo the last change" run={undo} />
      <a className="text-act underline" href={`/api/v1/studies/${study}/ledger.html`} target="_blank" rel="noreferrer">
        Open the ledger
      </a>
      <a className="text-act underline" href={`/api/v1/studies/${study}/study.json`}>
        Save the study file
      </a>
    </div>
  );
}
