import { DownloadSimple } from "@phosphor-icons/react";
import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { useSaved } from "../../api/queries";
import { type MadeRelease, releaseChanges, releasedFile } from "../../api/releases";
import { ActionButton } from "../../parts/actions";
import { Choice } from "../../parts/fields";
import { day, size } from "../../parts/figures";
import { save } from "../../parts/files";
import { Empty, Heading, Sub } from "../../parts/panes";
import { Changes } from "./changes";

/** A release that was made: its files as they were, and what changed since. */
export function Earlier({ made, others }: { made: MadeRelease | undefined; others: readonly MadeRelease[] }) {
  const study = useSaved();
  const [until, setUntil] = useState<number | null>(null);
  const { data, error } = useQuery({
    ...releaseChanges(study.id, study.edition, made?.number ?? 0, until),
    enabled: made != null,
  });
  if (!made) return <Empty title="There is no such release">Choose one on the left, or make one.</Empty>;
  return (
    <div className="max-w-4xl">
      <Heading over={`Release ${made.number}, ${day(made.made)}, by ${made.who}`}>{made.title}</Heading>
      <ActionButton
        id="save-all"
        label="Save all files (.zip)"
        icon={DownloadSimple}
        look="strong"
        run={() => save(releasedFile(study.id, made.number, "all.zip"), "all.zip")}
      />
      <ul className="mt-2">
        {made.files.map((file) => (
          <li key={file.name} className="flex items-baseline gap-3 border-hair border-b py-1 text-sm">
            <a
              href={releasedFile(study.id, made.number, file.name)}
              download={file.name}
              className="w-48 truncate text-act hover:underline"
            >
              {file.name}
            </a>
            <span className="w-20 text-right text-soft tabular-nums">{size(file.size)}</span>
            <code className="truncate text-soft text-xs" title={`SHA-256 ${file.sha256}`}>
              {file.sha256.slice(0, 24)}…
            </code>
          </li>
        ))}
      </ul>
      <p className="mt-1 text-soft text-xs">
        Of edition {made.edition} of the study (SHA-256 {made.study_sha256.slice(0, 16)}…), by Even Ballot{" "}
        {made.version}.
      </p>
      <Sub>What changed</Sub>
      <div className="flex items-center gap-2 text-sm">
        <span>from this release to</span>
        <Choice
          aria-label="Compared with"
          className="!w-64"
          value={until ?? ""}
          options={[
            ["", "the study as it is now"],
            ...others
              .filter((other) => other.number !== made.number)
              .map((other) => [String(other.number), `release ${other.number}, ${day(other.made)}`] as const),
          ]}
          onChange={(e) => setUntil(e.target.value ? Number(e.target.value) : null)}
        />
      </div>
      {error && <p className="mt-2 text-heed text-sm">{error.message}</p>}
      {data && <Changes changes={data.changes} />}
    </div>
  );
}
