import type { Schema } from "../../api/client";
import { Choice, Field, TextInput, Tick } from "../../parts/fields";
import { Heading, Sub } from "../../parts/panes";
import type { Planning } from "./plan";
import { Template } from "./template";

type Style = Schema["Style"];
type Format = NonNullable<Schema["ReleasePlan"]["formats"]>[number];

export const FORMATS: readonly (readonly [Format, string])[] = [
  ["docx", "text document (.docx)"],
  ["pdf", "pages (.pdf)"],
  ["html", "web page (.html)"],
  ["xlsx", "workbook (.xlsx)"],
  ["ods", "workbook (.ods)"],
  ["pptx", "slides (.pptx)"],
  ["csv", "every figure in long form (.csv, .parquet)"],
  ["jsonstat", "tables as JSON-stat"],
];
const WITH = [
  ["records", "records with weights"],
  ["codebook", "codebook"],
  ["ledger", "ledger"],
  ["methods", "methods note in the documents"],
] as const;
const NAMES = [
  ["report", "report: serif titles, errors and intervals below"],
  ["compact", "compact: small, errors in brackets"],
  ["plain", "plain: errors and intervals in columns"],
] as const;
const ERRORS = [
  ["", "as the style has them"],
  ["below", "below"],
  ["brackets", "in brackets"],
  ["plus_minus", "as ±"],
  ["beside", "in a column"],
  ["none", "not at all"],
] as const;
const INTERVALS = ERRORS.filter(([value]) => value !== "plus_minus");

/** How the release looks, in which formats it is made, and what goes with it. */
export function Look({ planning }: { planning: Planning }) {
  const { plan, save } = planning;
  const style = (plan.style ?? {}) as Partial<Style>;
  const put = (to: Partial<Style>) => save({ style: { ...style, ...to } as Style });
  const formats = plan.formats ?? ["xlsx", "docx", "pdf", "html"];
  const goes = plan.with_it ?? ["records", "methods"];
  const decimals = { share: 1, number: 2, ...style.decimals };
  const choice = <K extends keyof Style>(
    label: string,
    key: K,
    options: readonly (readonly [string, string])[],
    usual: string,
  ) => (
    <Field label={label}>
      {(p) => (
        <Choice
          {...p}
          options={options}
          value={String(style[key] ?? usual)}
          onChange={(e) => put({ [key]: e.target.value || null } as Partial<Style>)}
        />
      )}
    </Field>
  );
  return (
    <div className="max-w-3xl">
      <Heading over="Release">Style and files</Heading>
      <Sub>Formats</Sub>
      <div className="grid grid-cols-2 gap-x-6">
        {FORMATS.map(([format, label]) => (
          <Tick
            key={format}
            label={label}
            checked={formats.includes(format)}
            onChange={(e) =>
              save({ formats: e.target.checked ? [...formats, format] : formats.filter((f) => f !== format) })
            }
          />
        ))}
      </div>
      <Sub>Included files</Sub>
      <div className="grid grid-cols-2 gap-x-6">
        {WITH.map(([what, label]) => (
          <Tick
            key={what}
            label={label}
            checked={goes.includes(what)}
            onChange={(e) => save({ with_it: e.target.checked ? [...goes, what] : goes.filter((g) => g !== what) })}
          />
        ))}
        <Tick
          label="what changed since the last release"
          checked={plan.changes ?? false}
          onChange={(e) => save({ changes: e.target.checked })}
        />
      </div>
      <Sub>Charts as files</Sub>
      <div className="grid grid-cols-3 gap-x-6">
        {(["svg", "png", "pdf"] as const).map((kind) => (
          <Tick
            key={kind}
            label={`each as .${kind}`}
            checked={(plan.picture_files ?? []).includes(kind)}
            onChange={(e) =>
              save({
                picture_files: e.target.checked
                  ? [...(plan.picture_files ?? []), kind]
                  : (plan.picture_files ?? []).filter((k) => k !== kind),
              })
            }
          />
        ))}
        <Field label="Resolution of .png" hint="Pixels per point of the drawing, 1 to 8.">
          {(p) => (
            <TextInput
              {...p}
              type="number"
              min={1}
              max={8}
              value={plan.resolution ?? 3}
              onChange={(e) => save({ resolution: Number(e.target.value) })}
            />
          )}
        </Field>
      </div>
      <Sub>Content</Sub>
      <div className="grid grid-cols-2 gap-x-6">
        <Tick
          label="table of contents"
          checked={plan.contents ?? true}
          onChange={(e) => save({ contents: e.target.checked })}
        />
        <Tick
          label="number tables and figures"
          checked={plan.numbered ?? true}
          onChange={(e) => save({ numbered: e.target.checked })}
        />
        <Tick label="charts" checked={plan.pictures ?? true} onChange={(e) => save({ pictures: e.target.checked })} />
        <Tick
          label="figures in words"
          checked={plan.reading ?? false}
          onChange={(e) => save({ reading: e.target.checked })}
        />
      </div>
      <Sub>Style</Sub>
      <div className="grid grid-cols-3 gap-x-6">
        {choice("Style", "name", NAMES, "report")}
        {choice("Standard errors", "errors", ERRORS, "")}
        {choice("Intervals", "intervals", INTERVALS, "")}
        {choice(
          "Paper",
          "paper",
          [
            ["A4", "A4"],
            ["Letter", "Letter"],
          ],
          "A4",
        )}
        {choice(
          "Landscape pages",
          "turn",
          [
            ["where it helps", "where a table is wide"],
            ["never", "never"],
            ["always", "for every table"],
          ],
          "where it helps",
        )}
        {choice(
          "Decimal separator",
          "decimal_sign",
          [
            [".", "1,234.5"],
            [",", "1 234,5"],
          ],
          ".",
        )}
        {choice(
          "Titles in",
          "letters",
          [
            ["", "as the style has them"],
            ["serif", "serif"],
            ["sans", "sans serif"],
          ],
          "",
        )}
        {(["share", "number"] as const).map((kind) => (
          <Field key={kind} label={kind === "share" ? "Decimals of per cents" : "Decimals of other figures"}>
            {(p) => (
              <TextInput
                {...p}
                type="number"
                min={0}
                max={8}
                value={decimals[kind]}
                onChange={(e) => put({ decimals: { ...decimals, [kind]: Number(e.target.value) } })}
              />
            )}
          </Field>
        ))}
        <Field label="Language tag" hint="Of the documents, such as en or sv-FI.">
          {(p) => (
            <TextInput {...p} defaultValue={style.language ?? "en"} onBlur={(e) => put({ language: e.target.value })} />
          )}
        </Field>
        <Field label="Colour of headings">
          {(p) => (
            <TextInput
              {...p}
              type="color"
              className="!h-8 !p-0.5"
              value={style.accent ?? "#1f4e5f"}
              onChange={(e) => put({ accent: e.target.value })}
            />
          )}
        </Field>
        <Template name={style.template ?? null} put={put} />
      </div>
    </div>
  );
}
