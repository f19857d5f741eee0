import { type Plus, Trash } from "@phosphor-icons/react";
import { useState } from "react";
import type { Schema } from "../../api/client";
import { useChange, useStudy } from "../../api/queries";
import type { ReleaseView } from "../../api/releases";
import { TextArea, TextInput, Tick } from "../../parts/fields";
import type { Planning } from "./plan";
import { Printed } from "./printed";

type Block = Schema["BlockView"];
type Section = Schema["SectionView"];

/** A text that is written where it stands; it is kept when one leaves it. */
export function InPlace({
  label,
  value,
  take,
  long,
  placeholder,
  className = "",
}: {
  label: string;
  value: string;
  take: (to: string) => void;
  long?: boolean;
  placeholder?: string;
  className?: string;
}) {
  const [text, setText] = useState<string | null>(null);
  const shown = text ?? value;
  const keep = () => {
    if (text != null && text !== value) take(text);
    setText(null);
  };
  const own = `!border-transparent hover:!border-rule focus:!border-act !bg-transparent !px-1 -ml-1 ${className}`;
  const shared = {
    "aria-label": label,
    placeholder,
    value: shown,
    onBlur: keep,
    className: own,
  };
  return long ? (
    <TextArea
      {...shared}
      style={{ resize: "none" }}
      rows={Math.min(14, Math.max(1, shown.split("\n").length, Math.ceil(shown.length / 95)))}
      onChange={(e) => setText(e.target.value)}
    />
  ) : (
    <TextInput
      {...shared}
      onChange={(e) => setText(e.target.value)}
      onKeyDown={(e) => {
        if (e.key === "Enter") keep();
        if (e.key === "Escape") setText(null);
      }}
    />
  );
}

function Shown({ block }: { block: Block }) {
  if (block.heading) {
    const Level = (["h2", "h3", "h4"] as const)[Math.min(block.heading.level, 3) - 1] ?? "h4";
    return (
      <Level className={`mt-4 mb-1 font-semibold font-serif ${block.heading.level > 1 ? "text-base" : "text-lg"}`}>
        {block.heading.text}
      </Level>
    );
  }
  if (block.paragraph)
    return (
      <p className={`my-1.5 max-w-prose text-sm ${block.paragraph.item ? "pl-4" : ""}`}>
        {block.paragraph.runs.map((run, k) =>
          // biome-ignore lint/suspicious/noArrayIndexKey: pieces of a paragraph have their place alone
          run.stressed ? <em key={k}>{run.text}</em> : run.text,
        )}
      </p>
    );
  if (block.picture)
    return (
      <figure className="my-4">
        <figcaption className="mb-1 font-semibold font-serif">{block.picture.caption}</figcaption>
        <img
          alt={block.picture.says}
          src={`data:image/svg+xml;charset=utf-8,${encodeURIComponent(block.picture.svg)}`}
          className="max-w-full bg-white"
        />
      </figure>
    );
  if (block.table)
    return (
      <div className="my-3">
        {block.table.title && (
          <p className="font-semibold font-serif">
            {block.table.label ? `${block.table.label}. ${block.table.title}` : block.table.title}
          </p>
        )}
        {block.table.subtitle && <p className="mb-1 text-soft text-sm">{block.table.subtitle}</p>}
        <Printed table={block.table} />
        {block.table.notes.map((note) => (
          <p key={note} className="max-w-prose text-soft text-xs">
            {note}
          </p>
        ))}
      </div>
    );
  return null;
}

/** A table or analysis of the plan: its title and the note below it are written in place. */
function Thing({ section, at, planning }: { section: Section; at: number; planning: Planning }) {
  const { change } = useChange();
  const study = useStudy();
  const part = planning.shown[at];
  const [first, ...rest] = section.blocks;
  const table = first?.table;
  const own = (study.document.tables ?? []).find((t) => t.id === part?.table);
  if (!table || !part) return <Blocks blocks={section.blocks} />;
  const pictured = part.picture ?? planning.plan.pictures ?? true;
  const read = part.reading ?? planning.plan.reading ?? false;
  return (
    <>
      {own ? (
        <div className="flex items-baseline gap-1 font-semibold font-serif">
          {table.label && <span className="shrink-0">{table.label}.</span>}
          <InPlace
            label={`Title of ${table.label || table.title}`}
            value={table.title}
            long
            className="!text-base !font-semibold !font-serif"
            take={(title) =>
              change.mutate((document) => ({
                tables: (document.tables ?? []).map((t) => (t.id === own.id ? { ...t, title } : t)),
              }))
            }
          />
        </div>
      ) : (
        <p className="font-semibold font-serif">{table.label ? `${table.label}. ${table.title}` : table.title}</p>
      )}
      {table.subtitle && <p className="mb-1 text-soft text-sm">{table.subtitle}</p>}
      <Printed table={table} />
      <InPlace
        label={`Note below ${table.label || table.title}`}
        value={part.note ?? ""}
        placeholder="A note of your own"
        className="!text-xs"
        long
        take={(note) => planning.put(at, { note })}
      />
      {table.notes
        .filter((note) => note !== part.note)
        .map((note) => (
          <p key={note} className="max-w-prose text-soft text-xs">
            {note}
          </p>
        ))}
      {(part.table || part.model) && (
        <div className="mt-1 flex gap-4 text-sm print:hidden">
          <Tick label="chart" checked={pictured} onChange={(e) => planning.put(at, { picture: e.target.checked })} />
          {part.table && (
            <Tick label="in words" checked={read} onChange={(e) => planning.put(at, { reading: e.target.checked })} />
          )}
        </div>
      )}
      <Blocks blocks={rest} />
    </>
  );
}

function Blocks({ blocks }: { blocks: readonly Block[] }) {
  return blocks.map((block, k) => (
    // biome-ignore lint/suspicious/noArrayIndexKey: blocks have their place alone
    <Shown key={k} block={block} />
  ));
}

function Passing({ label, icon: Icon, run }: { label: string; icon: typeof Plus; run: () => void }) {
  return (
    <button
      type="button"
      data-passing
      aria-label={label}
      title={label}
      onClick={run}
      className="rounded p-1 text-soft hover:bg-wash hover:text-ink"
    >
      <Icon size={16} aria-hidden />
    </button>
  );
}

/** One part, where it is written and taken out. */
function PartOnPage({ section, planning }: { section: Section; planning: Planning }) {
  const at = Number(section.at);
  const part = Number.isNaN(at) ? undefined : planning.shown[at];
  return (
    <section
      id={`part-${section.at}`}
      aria-label={section.title}
      className="group relative scroll-mt-4 [contain-intrinsic-size:auto_400px] [content-visibility:auto]"
    >
      {part && (
        <div className="absolute top-0 right-0 opacity-0 focus-within:opacity-100 group-hover:opacity-100">
          <Passing label={`Remove ${section.title}`} icon={Trash} run={() => planning.drop(at)} />
        </div>
      )}
      {part?.heading != null && <h2 className="sr-only">{part.heading}</h2>}
      {part?.heading != null ? (
        <InPlace
          label="Heading"
          value={part.heading}
          className="!mt-5 !text-xl !text-act !font-semibold !font-serif"
          take={(heading) => (heading.trim() ? planning.put(at, { heading }) : planning.drop(at))}
        />
      ) : part?.text != null ? (
        <InPlace
          label="Paragraph"
          value={part.text}
          long
          className="!max-w-prose !font-serif"
          take={(text) => (text.trim() ? planning.put(at, { text }) : planning.drop(at))}
        />
      ) : part ? (
        <div className="mt-5">
          <Thing section={section} at={at} planning={planning} />
        </div>
      ) : section.at === "foreword" ? null : (
        <Blocks blocks={section.blocks} />
      )}
    </section>
  );
}

/** The release as the document it will be, written in place. */
export function Pages({ view, planning }: { view: ReleaseView; planning: Planning }) {
  const { plan, save } = planning;
  const study = useStudy();
  return (
    <article aria-label="The release" className="max-w-4xl pb-24">
      <h1 className="sr-only">{view.title}</h1>
      <InPlace
        label="Title of the release"
        value={plan.title ?? study.document.title ?? ""}
        className="!text-3xl !font-serif"
        take={(title) => save({ title: title.trim() || null })}
      />
      <InPlace
        label="Subtitle"
        value={plan.subtitle ?? ""}
        placeholder="Subtitle"
        className="!text-lg !text-soft"
        take={(subtitle) => save({ subtitle })}
      />
      <div className="flex items-baseline gap-3">
        <InPlace
          label="Authors, separated by semicolons"
          value={(plan.authors ?? []).join("; ")}
          placeholder="Authors, separated by semicolons"
          take={(text) =>
            save({
              authors: text
                .split(";")
                .map((name) => name.trim())
                .filter(Boolean),
            })
          }
        />
        <TextInput
          type="date"
          aria-label="Date of the release"
          className="!w-40"
          value={plan.date ?? ""}
          onChange={(e) => save({ date: e.target.value || null })}
        />
      </div>
      <InPlace
        label="Foreword"
        value={plan.foreword ?? ""}
        placeholder="Foreword (# heading, - item, *stressed*)"
        long
        className="!mt-3 !max-w-prose !font-serif"
        take={(foreword) => save({ foreword })}
      />
      {view.sections.map((section) => (
        <PartOnPage key={`${section.at} ${section.title}`} section={section} planning={planning} />
      ))}
      <InPlace
        label="Own paragraphs on method"
        value={plan.method ?? ""}
        placeholder="Your own paragraphs on method, after the automatic ones"
        long
        className="!mt-2 !max-w-prose !font-serif"
        take={(method) => save({ method })}
      />
    </article>
  );
}
