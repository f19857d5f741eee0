import { Link } from "@tanstack/react-router";
import { Refusal } from "../api/client";
import { Faults } from "../parts/notices";
import { Empty } from "../parts/panes";

/** A page that cannot be shown: says why, and where to go. */
export function Broken({ error }: { error?: unknown }) {
  return (
    <main>
      <Empty title={error != null ? "This cannot be shown" : "There is no such page"}>
        {error != null && (
          <Faults
            faults={
              error instanceof Refusal
                ? error.faults
                : [{ what: String(error), where: "", mend: "Load the page again." }]
            }
          />
        )}
        <Link to="/" className="text-act underline">
          To the list of studies
        </Link>
      </Empty>
    </main>
  );
}
