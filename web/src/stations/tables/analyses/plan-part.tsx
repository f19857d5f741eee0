import { Plus } from "@phosphor-icons/react";
import { Link, useNavigate } from "@tanstack/react-router";
import { useChange, useStudy } from "../../../api/queries";
import { ActionButton } from "../../../parts/actions";
import { analysesOf, calledOf, fresh, gistOf, itemOf, PARTS } from "./plan";

/** Models, scales of items and correlations in the plan, below its tables. */
export function AnalysesOfPlan({ current }: { current: string | undefined }) {
  const study = useStudy();
  const navigate = useNavigate();
  const { change } = useChange();
  return PARTS.map(({ part, title, one }) => {
    const there = analysesOf(study.document, part);
    return (
      <section key={part} aria-label={title} className="mt-4">
        <h2 className="flex items-end justify-between border-rule border-b px-2 font-semibold font-serif leading-snug">
          {title}
          <ActionButton
            id={`new-${part}`}
            label={`New ${one}`}
            icon={Plus}
            bare
            look="quiet"
            disabled={change.isPending}
            run={() => {
              const made = fresh(study.document, part);
              change.mutate((document) => ({ [part]: [...analysesOf(document, part), made] }));
              navigate({
                to: "/study/$id/tables/{-$item}",
                params: { id: study.id, item: itemOf(part, made.id) },
              });
            }}
          />
        </h2>
        <ul className="mt-1">
          {there.map((a) => {
            const item = itemOf(part, a.id);
            return (
              <li key={a.id}>
                <Link
                  to="/study/$id/tables/{-$item}"
                  params={{ id: study.id, item }}
                  aria-current={item === current ? "true" : undefined}
                  className={`block rounded px-2 py-1 hover:bg-wash ${item === current ? "bg-wash" : ""}`}
                >
                  <span className="line-clamp-2 font-serif leading-snug">{calledOf(part, a)}</span>
                  <span className="block truncate text-soft text-sm">{gistOf(part, a)}</span>
                </Link>
              </li>
            );
          })}
        </ul>
      </section>
    );
  });
}
