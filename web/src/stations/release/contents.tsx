import { Plus, TextHOne, TextT, Trash } from "@phosphor-icons/react";
import { useStudy } from "../../api/queries";
import type { ReleaseView } from "../../api/releases";
import { ActionButton } from "../../parts/actions";
import { Sub } from "../../parts/panes";
import { Sortable, SortableRow } from "../../parts/sortable";
import { KEYS, type Planning } from "./plan";

const seek = (at: string) => {
  const part = document.getElementById(`part-${at}`);
  part?.scrollIntoView({ block: "start" });
  part?.querySelector<HTMLElement>("input, textarea, [tabindex]")?.focus({ preventScroll: true });
};

const LINE = "grow truncate rounded px-1 text-left hover:bg-wash";

/** Parts that have their place. */
function Fixed({ sections }: { sections: ReleaseView["sections"] }) {
  return (
    <ul>
      {sections.map((section) => (
        <li key={section.at} className="flex py-px pl-5">
          <button type="button" data-passing onClick={() => seek(section.at)} className={`${LINE} text-sm`}>
            {section.title}
          </button>
        </li>
      ))}
    </ul>
  );
}

/** What stands after the parts of a release. */
const LAST = ["methods", "depends"];

/** What stands in the release, in order; and what does not. */
export function Contents({ view, planning }: { view: ReleaseView; planning: Planning }) {
  const study = useStudy();
  const parts = view.sections.filter((s) => !Number.isNaN(Number(s.at)));
  const rest = view.sections.filter((s) => Number.isNaN(Number(s.at)));
  const ids = parts.map((s) => `part ${s.at}`);
  return (
    <nav aria-label="Contents of the release">
      <Sub>Contents</Sub>
      <Fixed sections={rest.filter((s) => !LAST.includes(s.at))} />
      <Sortable ids={ids} move={planning.move}>
        <ul>
          {parts.map((section, k) => {
            const heading = planning.shown[Number(section.at)]?.heading != null;
            return (
              <SortableRow
                key={ids[k]}
                id={ids[k] ?? ""}
                label={section.title}
                className="group flex items-center py-px"
                by={(places) => {
                  const to = k + places;
                  if (to >= 0 && to < parts.length) planning.move(k, to);
                }}
              >
                <button
                  type="button"
                  data-passing
                  title={section.title}
                  onClick={() => seek(section.at)}
                  className={`${LINE} ${heading ? "font-semibold font-serif" : "pl-3 text-sm"}`}
                >
                  {section.title}
                </button>
                <button
                  type="button"
                  data-passing
                  aria-label={`Remove ${section.title}`}
                  title="Remove"
                  onClick={() => planning.drop(Number(section.at))}
                  className="rounded p-0.5 text-soft opacity-0 hover:text-ink focus:opacity-100 group-hover:opacity-100"
                >
                  <Trash size={14} aria-hidden />
                </button>
              </SortableRow>
            );
          })}
        </ul>
      </Sortable>
      <Fixed sections={rest.filter((s) => LAST.includes(s.at))} />
      <div className="mt-1 flex flex-wrap gap-x-1">
        <ActionButton
          id="add-heading"
          label="Heading"
          icon={TextHOne}
          look="quiet"
          run={() => planning.add({ heading: "New heading", level: 1, note: "" })}
        />
        <ActionButton
          id="add-paragraph"
          label="Paragraph"
          icon={TextT}
          look="quiet"
          run={() => planning.add({ text: "New paragraph", level: 1, note: "" })}
        />
      </div>
      {view.left_out.length > 0 && (
        <>
          <h3 className="mt-3 font-semibold text-sm">Not in it</h3>
          <ul>
            {view.left_out.map((left) => {
              const { part, id, title } = left;
              const key = KEYS[part];
              return (
                <li key={`${part} ${id}`} className="flex items-center py-px pl-5 text-soft text-sm">
                  <span className="grow truncate" title={title}>
                    {title}
                  </span>
                  <button
                    type="button"
                    data-passing
                    aria-label={`Add ${title}`}
                    title="Add"
                    onClick={() => key && planning.add({ [key]: id, level: 1, note: "" })}
                    className="rounded p-0.5 hover:bg-wash hover:text-ink"
                  >
                    <Plus size={14} aria-hidden />
                  </button>
                </li>
              );
            })}
          </ul>
        </>
      )}
      {study.document.release?.parts != null && (
        <ActionButton
          id="usual-contents"
          label="All tables and analyses, in their order"
          look="quiet"
          run={() => planning.save({ parts: null })}
        />
      )}
    </nav>
  );
}
