import { useMutation, useQueryClient, useSuspenseQuery } from "@tanstack/react-query";
import { api, got } from "../../api/client";
import { retentionQuery } from "../../api/queries";
import { Choice, Field } from "../../parts/fields";
import { tell } from "../../parts/notices";

const CHOICES: readonly (readonly [string, string])[] = [
  ["", "when somebody does so here"],
  ["7", "7 days after deletion"],
  ["30", "30 days after deletion"],
  ["90", "90 days after deletion"],
  ["365", "a year after deletion"],
];

/** How long deleted studies are kept, and what is kept of them until then. */
export function KeptFor() {
  const client = useQueryClient();
  const { days } = useSuspenseQuery(retentionQuery).data;
  const keep = useMutation({
    mutationFn: (to: number | null) => got(api.PUT("/api/v1/studies/retention", { body: { days: to } })),
    onSuccess: () => client.invalidateQueries({ queryKey: ["studies"] }),
    onError: (error) => tell(error),
  });
  const now = days == null ? "" : String(days);
  const own = CHOICES.some(([value]) => value === now) ? [] : ([[now, `${now} days after deletion`]] as const);
  return (
    <div className="max-w-2xl">
      <p className="text-soft">
        Until they are deleted permanently, these studies keep their answers, every entry of their ledgers and all their
        releases. After that they cannot be restored; backups made before still contain them.
      </p>
      <Field label="Delete permanently" hint="Studies deleted before you choose are kept as long from today.">
        {(p) => (
          <Choice
            {...p}
            className="!w-64"
            value={now}
            disabled={keep.isPending}
            onChange={(e) => keep.mutate(e.target.value ? Number(e.target.value) : null)}
            options={[...CHOICES, ...own]}
          />
        )}
      </Field>
    </div>
  );
}
