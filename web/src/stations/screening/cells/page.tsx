import { ArrowCounterClockwise, X } from "@phosphor-icons/react";
import { useNavigate, useSearch } from "@tanstack/react-router";
import { useCallback, useMemo, useState } from "react";
import { useChange, useSettled, useStudy } from "../../../api/queries";
import { ActionButton } from "../../../parts/actions";
import { FormulaField } from "../../../parts/formula";
import { Heading } from "../../../parts/panes";
import { useTried } from "../../../parts/tried";
import { EditCell } from "./edit";
import { Grid, type InHand } from "./grid";
import type { Asked } from "./window";

/** Takes a case that an entry set aside back into use: the entry spares it from then on. */
function TakeBack({ entry, hand }: { entry: number; hand: InHand }) {
  const study = useStudy();
  const { change } = useChange();
  const settled = useSettled();
  const steps = study.document.ledger ?? [];
  return (
    <section aria-label="The case in hand" className="flex items-center gap-4 py-2 text-sm">
      <p>
        {hand.id ? `${hand.id} (record ${hand.row})` : `Record ${hand.row}`}, set aside by entry {entry}.
      </p>
      <ActionButton
        id="take-case-back"
        label="Restore this case"
        icon={ArrowCounterClockwise}
        disabled={!settled}
        run={() =>
          change.mutate({
            ledger: steps.map((step, i) =>
              i === entry - 1 && step.do === "drop_cases"
                ? { ...step, spare: [...(step.spare ?? []), hand.row] }
                : step,
            ),
          })
        }
      />
    </section>
  );
}

/** All cells of all cases, or of those that an entry of the ledger set aside. */
export function CellsPage() {
  const navigate = useNavigate();
  const search = useSearch({ from: "/study/$id/screening/{-$item}" });
  const [where, setWhere] = useState(search.where ?? "");
  const [hand, setHand] = useState<InHand | null>(null);
  const tried = useTried(where.trim());
  const holds = where.trim() === "" || tried?.cases != null;
  const condition = holds ? where.trim() : (search.where ?? "");
  const asked: Asked = useMemo(
    () => ({
      where: condition || null,
      sort: search.sort ?? null,
      descending: search.down ?? false,
      aside: search.aside ?? null,
    }),
    [condition, search.sort, search.down, search.aside],
  );
  const say = (to: Partial<typeof search>) =>
    navigate({ to: ".", search: (before) => ({ ...before, ...to }), replace: true });
  const sort = (by: string) =>
    say(
      search.sort !== by
        ? { sort: by, down: undefined }
        : search.down
          ? { sort: undefined, down: undefined }
          : { down: true },
    );
  const take = useCallback((to: InHand | null) => setHand(to), []);
  return (
    <section aria-label="Cells" className="flex h-full flex-col">
      <Heading
        over={
          search.aside
            ? "As they were before the entry that set them aside"
            : "As they are after the ledger; every change is an entry of it"
        }
      >
        {search.aside ? `Cases set aside by entry ${search.aside}` : "All cells"}
      </Heading>
      {!search.aside && (
        <div className="grid grid-cols-[minmax(0,36rem)_auto] items-start gap-3">
          <FormulaField
            label="Only cases where"
            rows={1}
            value={where}
            change={(to) => {
              setWhere(to);
              say({ where: to.trim() || undefined });
            }}
            faults={tried?.faults ?? []}
            hint="A condition, such as age > 90 or missing(tenure). Click a heading to sort; Enter changes the cell in hand."
          />
          {where && (
            <ActionButton
              id="all-cases"
              label="All cases"
              icon={X}
              className="mt-7"
              run={() => {
                setWhere("");
                say({ where: undefined });
              }}
            />
          )}
        </div>
      )}
      {hand &&
        hand.row > 0 &&
        (search.aside ? <TakeBack entry={search.aside} hand={hand} /> : <EditCell hand={hand} done={() => {}} />)}
      <Grid asked={asked} hand={hand} take={take} sort={sort} className="grow" />
    </section>
  );
}
