import { Download, UploadSimple } from "@phosphor-icons/react";
import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { api, got, Refusal, type Schema } from "../../api/client";
import { disclosureQuery, studyQuery, useChange, useSaved, useStudy, withheldQuery } from "../../api/queries";
import { ActionButton } from "../../parts/actions";
import { pickFile } from "../../parts/drop";
import { Tick } from "../../parts/fields";
import { count, plural } from "../../parts/figures";
import { save } from "../../parts/files";
import { FilterField } from "../../parts/filter";
import { FindMany } from "../../parts/find-many";
import { tell } from "../../parts/notices";
import { NumberField } from "../../parts/number-field";
import { Heading, Sub } from "../../parts/panes";
import { PARTS } from "./analyses/plan";
import { chosenOf, entriesOf } from "./many-tables";
import { RecipesOfPlan } from "./recipes-of-plan";
import { RowOrder } from "./row-order";

type Marks = Schema["Marks"];

/** The plan as a file, and a file read into the plan. */
function PlanFiles() {
  const study = useStudy();
  const client = useQueryClient();
  const { inTurn, allSaved, refuse, move } = useChange();
  const [replace, setReplace] = useState(false);
  const base = `/api/v1/studies/${study.id}`;
  const lay = async (file: File, anyway = false) => {
    try {
      const tables = await inTurn((edition) =>
        got(
          api.PUT("/api/v1/studies/{study_id}/plan", {
            params: { path: { study_id: study.id }, query: { edition, name: file.name, replace, anyway } },
            body: file as never,
            bodySerializer: (body) => body as never,
          }),
        ),
      );
      await client.invalidateQueries({ queryKey: studyQuery(study.id).queryKey });
      tell(`${plural(tables, "part")} of the plan read from ${file.name}.`, {
        label: "Undo",
        go: () => move.mutate("undo"),
      });
    } catch (error) {
      const unknown = error instanceof Refusal && error.faults.some((f) => f.kind === "unknown_in_plan");
      if (unknown) tell(error as Error, { label: "Import anyway", go: () => lay(file, true) });
      else refuse(error as Error);
    }
  };
  return (
    <>
      <Sub>The plan as a file</Sub>
      <p className="max-w-2xl text-soft text-sm">
        One line per table, editable in a spreadsheet: title, stub (variables separated by semicolons), banner (a &gt; b
        for a nest), filter, figures, tests. Settings without a column of their own are in the last one. Both formats
        contain everything.
      </p>
      <div className="mt-1 flex flex-wrap items-center gap-1">
        <ActionButton
          id="plan-csv"
          label="Plan as CSV"
          icon={Download}
          run={() => allSaved().then(() => save(`${base}/plan.csv`, "plan.csv"))}
        />
        <ActionButton
          id="plan-json"
          label="Plan as JSON"
          icon={Download}
          run={() => allSaved().then(() => save(`${base}/plan.json`, "plan.json"))}
        />
        <ActionButton
          id="lay-plan"
          label="Import a plan"
          icon={UploadSimple}
          run={() => pickFile(".csv,.json,.txt", (file) => lay(file))}
        >
          Import a plan …
        </ActionButton>
        <Tick label="replace the existing tables" checked={replace} onChange={(e) => setReplace(e.target.checked)} />
      </div>
    </>
  );
}

type Rule = [key: keyof Marks, label: string, value: number | null, usual: number, least: number, per: number];

/** Rules that are ticked, each with its number. */
function Rules({ rules, marks, change }: { rules: readonly Rule[]; marks: Marks; change: (marks: Marks) => void }) {
  return rules.map(([key, label, value, usual, least, per]) => (
    <div key={key} className="flex items-center gap-2 py-0.5">
      <Tick
        label={label}
        checked={value != null}
        onChange={(e) => change({ ...marks, [key]: e.target.checked ? usual / per : null })}
      />
      {value != null && (
        <NumberField
          aria-label={`Unreliable: ${label}`}
          value={value}
          empty={false}
          fits={(n) => n >= least}
          take={(to) => to != null && change({ ...marks, [key]: to / per })}
        />
      )}
    </div>
  ));
}

/** When a figure is marked as weak, and when columns are not compared by letters. */
function MarkRules({ marks, change }: { marks: Marks; change: (marks: Marks) => void }) {
  const base = marks.base === undefined ? 30 : marks.base;
  const df = marks.df === undefined ? 8 : marks.df;
  const of = (share: number | null | undefined) => (share == null ? null : 100 * share);
  const weak: Rule[] = [
    ["base", "fewer unweighted cases in its base than", base, 30, 1, 1],
    ["rse", "a relative standard error (%) over", of(marks.rse), 30, 0.1, 100],
    ["effective", "an effective base under", marks.effective ?? null, 30, 1, 1],
    ["df", "fewer degrees of freedom among the cases of its base than", df, 8, 1, 1],
    ["width", "an interval of a share wider, in points, than", of(marks.width), 30, 0.1, 100],
    ["relative_width", "an interval wider, in % of the estimate, than", of(marks.relative_width), 130, 0.1, 100],
  ];
  const letters: Rule[] = [["letters", "nor where either base is under", marks.letters ?? null, 50, 1, 1]];
  return (
    <>
      <Sub>Figures to flag as unreliable</Sub>
      <p className="text-soft text-sm">A figure is marked ° where it has</p>
      <Rules rules={weak} marks={marks} change={change} />
      <Tick
        label="Apply the relative criteria to 1 − p as well as to p"
        checked={marks.complement ?? false}
        onChange={(e) => change({ ...marks, complement: e.target.checked })}
      />
      <p className="mt-1 text-soft text-sm">No letters are shown beside unreliable figures,</p>
      <Rules rules={letters} marks={marks} change={change} />
    </>
  );
}

/** What holds for all tables: filter, usual banner, marks, what is hidden; and the plan as a file. */
export function AllTables({ codebook }: { codebook: Schema["CodebookView"] }) {
  const study = useStudy();
  const { change } = useChange();
  const { document } = study;
  const below = document.suppression?.below ?? null;
  const analyses = PARTS.reduce((n, { part }) => n + (document[part]?.length ?? 0), 0);
  const saved = useSaved();
  const coded = codebook.variables
    .filter((v) => ["coded", "date"].includes(v.variable.kind))
    .map((v) => ({ name: v.variable.name, title: v.variable.label }));
  return (
    <div className="max-w-3xl">
      <Heading over="Plan of tables">For all tables</Heading>
      <FilterField
        label="Filter of the study"
        hint="Applies to every table, as a domain: no case is set aside. Empty: all cases."
        value={saved.document.where}
        take={(where) => change.mutate({ where })}
      />
      <FindMany
        id="usual-banner"
        label="Default banner"
        hint="A new table begins with it; so does the table of a question, from the Codebook."
        chosen={chosenOf(document.usual_banner ?? [])}
        options={coded}
        nest
        change={(to) => change.mutate({ usual_banner: entriesOf(to) })}
      />
      <RecipesOfPlan />
      <Sub>Order of rows in all tables</Sub>
      <RowOrder
        id="all-rows"
        now="several"
        take={(rows) =>
          change.mutate((now) => ({
            tables: (now.tables ?? []).map((t) => ({ ...t, display: { ...t.display, rows } })),
          }))
        }
      />
      <MarkRules marks={document.marks ?? {}} change={(to) => change.mutate({ marks: to })} />
      <Sub>Disclosure control</Sub>
      <div className="flex items-center gap-2 py-0.5">
        <Tick
          label="suppress counts below"
          checked={below != null}
          onChange={(e) =>
            change.mutate({ suppression: { ...document.suppression, below: e.target.checked ? 5 : null } })
          }
        />
        {below != null && (
          <NumberField
            aria-label="Smallest count shown"
            value={below}
            empty={false}
            fits={(n) => n >= 2 && Number.isInteger(n)}
            take={(to) => change.mutate({ suppression: { ...document.suppression, below: to } })}
          />
        )}
      </div>
      <p className="max-w-2xl text-soft text-sm">
        As many other figures are suppressed (secondary suppression) as are needed to keep anyone from working them out
        from what this study releases: its tables, their totals, weighted figures and tests, and the report on
        weightings. A suppressed small count could then be anything from 0 to the number above. It does not protect
        against somebody who knows who took part, or against other releases. What is suppressed is shown as × in every
        table and in the release, and counted in its notes; smallest and largest values of numbers are never released
        with it.
      </p>
      {below != null && (
        <>
          <Hidden />
          {analyses > 0 && <Withheld />}
        </>
      )}
      <PlanFiles />
    </div>
  );
}

/** How many analyses are not told, which takes longer to find out. */
function Withheld() {
  const study = useStudy();
  const { data } = useQuery(withheldQuery(study.id, study.edition));
  if (!data) return <p className="pt-1 text-soft text-sm">Judging models, scales and correlations …</p>;
  return (
    <p className="max-w-2xl pt-1 text-sm">
      {data.withheld
        ? `${plural(data.withheld, "model, scale or correlation is", "models, scales and correlations are")} not told, as small groups could be calculated from ${data.withheld === 1 ? "it" : "them"}.`
        : "All models, scales and correlations are told."}
      {data.unjudged > 0 && ` ${count(data.unjudged)} could not be judged.`}
    </p>
  );
}

/** How many groups are hidden, and what could not be judged. */
function Hidden() {
  const study = useStudy();
  const { data } = useQuery(disclosureQuery(study.id, study.edition));
  if (!data) return <p className="pt-1 text-soft text-sm">Calculating what is suppressed …</p>;
  const { control, seconds, small, protecting, dominated } = data;
  return (
    <p className="max-w-2xl pt-1 text-sm" data-disclosure>
      {plural(small, "small group is", "small groups are")} suppressed, {count(protecting)} more to protect them. Found
      in {seconds.toFixed(1)} s. A release does not tell which are which.
      {control.unjudged > 0 &&
        ` For ${plural(control.unjudged, "group or analysis", "groups or analyses")} no other counts were found; everything around them is suppressed.`}
      {!control.weights_judged &&
        " There are more than 100 different weights, so weighted figures were not checked for revealing counts of cases."}
      {dominated.length > 0 && ` Every figure of ${dominated.join(", ")} is suppressed by the dominance rule.`}
    </p>
  );
}
