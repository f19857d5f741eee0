import { DownloadSimple, UploadSimple } from "@phosphor-icons/react";
import { api, got } from "../../api/client";
import { useChange, useSaved } from "../../api/queries";
import { ActionButton } from "../../parts/actions";
import { pickFile } from "../../parts/drop";
import { handOver } from "../../parts/files";
import { Heading, Sub } from "../../parts/panes";

const FILES = [
  [
    "release/tables.xlsx",
    "Tables",
    "tables.xlsx",
    "A workbook: contents, a sheet for each table with its bases and note, the methods.",
  ],
  [
    "release/microdata.csv",
    "Records with weights",
    "microdata.csv",
    "Cleaned and derived, codes not labels, blank for missing, weights last.",
  ],
  [
    "release/replicates.json",
    "How to use the replicate weights",
    "replicates.json",
    "Which columns of the records they are, what each counts, and the design to run them with.",
  ],
  [
    "release/weighting.html",
    "The report on the weights",
    "weighting.html",
    "A page: base weights, fit of every margin, weight diagnostics, the design.",
  ],
  ["release/results.json", "Every figure", "results.json", "All estimates, tests and reports with full precision."],
] as const;
const STUDY = [
  [
    "study.zip",
    "The study with its files",
    "study.zip",
    "Runs at the command line once unpacked: even-ballot run study.json --out results",
  ],
  [
    "ledger.html",
    "The ledger as a page",
    "ledger.html",
    "Every entry with its reason and its effect, to hand to a colleague.",
  ],
  ["ledger.md", "The ledger as Markdown", "ledger.md", "The same as plain text."],
  ["study.json", "The study file alone", "study.json", "What was done, without the answers."],
] as const;

type Item = readonly [path: string, title: string, name: string, says: string];

/** Fetches a file, so that a refusal is said here and not on a blank page. */
async function save(url: string, name: string) {
  const answer = await fetch(url);
  if (!answer.ok) {
    const body = await answer.json().catch(() => null);
    throw new Error(
      body?.faults?.map((f: { what: string; mend: string }) => `${f.what} ${f.mend}`).join(" ") ??
        "The file could not be made.",
    );
  }
  handOver(await answer.blob(), name);
}

function Download({ item, ready }: { item: Item; ready: boolean }) {
  const study = useSaved();
  const { refuse, allSaved } = useChange();
  const [path, title, name, says] = item;
  return (
    <li className="flex items-baseline gap-4 border-hair border-b py-2">
      <div className="grow">
        <p className="font-serif text-lg">{title}</p>
        <p className="text-soft text-sm">{says}</p>
      </div>
      <ActionButton
        id={`save-${name}`}
        label={`Save ${name}`}
        icon={DownloadSimple}
        disabled={!ready}
        run={() => {
          allSaved()
            .then(() => save(`/api/v1/studies/${study.id}/${path}`, name))
            .catch((error) => refuse(error));
        }}
      />
    </li>
  );
}

/** Single files of the study as it stands, and the study itself. */
export function OtherFiles() {
  const study = useSaved();
  const { settle, refuse, inTurn } = useChange();
  const ready = study.faults.length === 0;
  const lay = (file: File) =>
    file.text().then((text) =>
      inTurn((edition) =>
        got(
          api.PUT("/api/v1/studies/{study_id}/document", {
            params: { path: { study_id: study.id }, query: { edition } },
            body: text as never,
            bodySerializer: (body: unknown) => body as string,
          }),
        ),
      )
        .then(settle)
        .catch(refuse),
    );
  return (
    <div className="max-w-3xl">
      <Heading over="Of the study as it is now">Single files</Heading>
      <ul>
        {FILES.filter(([, , name]) => name !== "replicates.json" || study.document.design?.save_replicates).map(
          (item) => (
            <Download key={item[0]} item={item} ready={ready} />
          ),
        )}
      </ul>
      <Sub>Reproduce</Sub>
      <ul>
        {STUDY.map((item) => (
          <Download key={item[0]} item={item} ready />
        ))}
      </ul>
      <ActionButton
        id="lay-study-file"
        label="Apply a study file"
        icon={UploadSimple}
        className="mt-3"
        run={() => pickFile(".json", lay)}
      />
    </div>
  );
}
