import { Columns, Plus } from "@phosphor-icons/react";
import { Link, useNavigate } from "@tanstack/react-router";
import { useChange, useStudy } from "../../../api/queries";
import { ActionButton } from "../../../parts/actions";
import { plural } from "../../../parts/figures";
import { nested } from "./beside-page";
import { analysesOf, BESIDE, calledOf, fresh, gistOf, itemOf, PARTS } from "./plan";

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
        {part === "models" && there.length > 1 && <BesideOfPlan current={current} />}
      </section>
    );
  });
}

/** Models side by side, below the models. */
function BesideOfPlan({ current }: { current: string | undefined }) {
  const study = useStudy();
  const navigate = useNavigate();
  const { change } = useChange();
  const sets = study.document.side_by_side ?? [];
  const go = (id: string) =>
    navigate({ to: "/study/$id/tables/{-$item}", params: { id: study.id, item: `${BESIDE}${id}` } });
  return (
    <>
      <ul>
        {sets.map((set) => (
          <li key={set.id}>
            <Link
              to="/study/$id/tables/{-$item}"
              params={{ id: study.id, item: `${BESIDE}${set.id}` }}
              aria-current={current === `${BESIDE}${set.id}` ? "true" : undefined}
              className={`block rounded px-2 py-1 hover:bg-wash ${current === `${BESIDE}${set.id}` ? "bg-wash" : ""}`}
            >
              <span className="line-clamp-2 font-serif leading-snug">{set.title ?? "Compared models"}</span>
              <span className="block truncate text-soft text-sm">
                {plural(set.models?.length ?? 0, "model")} compared
              </span>
            </Link>
          </li>
        ))}
      </ul>
      <ActionButton
        id="new-beside"
        label="Compare models"
        icon={Columns}
        disabled={change.isPending}
        run={() => {
          let k = sets.length + 1;
          while (sets.some((s) => s.id === `s${k}`)) k++;
          const models = nested(study.document.models ?? []).slice(0, 6);
          change.mutate((document) => ({
            side_by_side: [...(document.side_by_side ?? []), { id: `s${k}`, title: null, models, show: ["est", "se"] }],
          }));
          go(`s${k}`);
        }}
      />
    </>
  );
}
