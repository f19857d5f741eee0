import { ArrowDown, ArrowUp, Copy, Trash } from "@phosphor-icons/react";
import { useNavigate } from "@tanstack/react-router";
import { useChange, useStudy } from "../../api/queries";
import { ActionButton } from "../../parts/actions";
import { TextInput } from "../../parts/fields";
import { type Request, shifted } from "../../parts/table-plan";

/** A table in the plan: its title, the heading it stands under, its place; copied, or taken out. */
export function Header({ request, save }: { request: Request; save: (parts: Partial<Request>) => void }) {
  const study = useStudy();
  const navigate = useNavigate();
  const { change } = useChange();
  const tables = study.document.tables ?? [];
  const groups = [...new Set(tables.map((t) => t.group).filter((g): g is string => !!g))];
  const go = (item: string | undefined) =>
    navigate({ to: "/study/$id/tables/{-$item}", params: { id: study.id, item } });
  const shift = (by: -1 | 1) =>
    change.mutate((document) => ({ tables: shifted(document.tables ?? [], request.id, by) }));
  return (
    <div className="flex items-start gap-1">
      <h1 className="grow">
        <textarea
          key={request.title}
          rows={1}
          aria-label="Title of the table"
          defaultValue={request.title ?? request.id}
          onKeyDown={(e) => {
            if (e.key === "Enter") {
              e.preventDefault();
              e.currentTarget.blur();
            }
          }}
          onBlur={(e) =>
            e.target.value.trim() !== (request.title ?? request.id) && save({ title: e.target.value.trim() || null })
          }
          className="field-sizing-content w-full resize-none rounded bg-transparent font-serif text-2xl leading-snug hover:bg-wash"
        />
      </h1>
      <TextInput
        key={request.group ?? ""}
        aria-label="Group in the plan"
        placeholder="No group"
        list="headings-of-the-plan"
        className="!w-40"
        defaultValue={request.group ?? ""}
        onKeyDown={(e) => e.key === "Enter" && e.currentTarget.blur()}
        onBlur={(e) =>
          e.target.value.trim() !== (request.group ?? "") && save({ group: e.target.value.trim() || null })
        }
      />
      <datalist id="headings-of-the-plan">
        {groups.map((g) => (
          <option key={g} value={g} />
        ))}
      </datalist>
      <ActionButton id="table-up" label="Move up in the plan" icon={ArrowUp} bare look="quiet" run={() => shift(-1)} />
      <ActionButton
        id="table-down"
        label="Further down in the plan"
        icon={ArrowDown}
        bare
        look="quiet"
        run={() => shift(1)}
      />
      <ActionButton
        id="copy-table"
        label="Duplicate this table"
        icon={Copy}
        bare
        look="quiet"
        run={() => {
          let id = `${request.id}-copy`;
          while (tables.some((t) => t.id === id)) id += "-copy";
          change.mutate((document) => ({
            tables: (document.tables ?? []).flatMap((t) => (t.id === request.id ? [t, { ...t, id }] : [t])),
          }));
          go(id);
        }}
      />
      <ActionButton
        id="drop-table"
        label="Remove this table from the plan"
        icon={Trash}
        bare
        look="quiet"
        run={() => {
          change.mutate((document) => ({ tables: (document.tables ?? []).filter((t) => t.id !== request.id) }));
          go(undefined);
        }}
      />
    </div>
  );
}
