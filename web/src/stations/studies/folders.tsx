import { FolderOpen } from "@phosphor-icons/react";
import { useQuery } from "@tanstack/react-query";
import { useNavigate } from "@tanstack/react-router";
import { drawFrom, foldersQuery } from "../../api/in-place";
import { ActionButton } from "../../parts/actions";
import { plural, size } from "../../parts/figures";
import { useWork, Working } from "../../parts/job";
import { Sub } from "../../parts/panes";

/** Folders of parts whose records stay where they are; a study on one begins with a sample. */
export function Folders() {
  const { data: folders } = useQuery(foldersQuery);
  const navigate = useNavigate();
  const work = useWork();
  if (!folders?.length) return null;
  const begin = (folder: string) =>
    work.run(
      () => drawFrom(folder),
      (file) => navigate({ to: "/arriving/$file", params: { file } }),
    );
  return (
    <section aria-label="Folders of parts" className="mt-4">
      <Sub>Records that stay in their folder</Sub>
      <p className="text-soft text-sm">
        A study begins on a sample of them; its tables are calculated on all records when you ask for it.
      </p>
      <ul>
        {folders.map((of) => (
          <li key={of.folder} className="flex items-baseline gap-4 border-hair border-b py-1.5">
            <span className="grow">
              <span className="font-serif">{of.folder}</span>{" "}
              <span className="text-soft text-sm">
                {plural(of.parts, "part")}, {size(of.size)}
              </span>
            </span>
            <ActionButton
              id={`draw-${of.folder}`}
              label={`Begin a study on ${of.folder}`}
              icon={FolderOpen}
              disabled={work.job != null}
              run={() => void begin(of.folder)}
            >
              Begin a study
            </ActionButton>
          </li>
        ))}
      </ul>
      <Working work={work} stop="stop-drawing" />
    </section>
  );
}
