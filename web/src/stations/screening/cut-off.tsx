import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { api, got } from "../../api/client";
import { useChange, useStudy } from "../../api/queries";
import { Field, TextInput } from "../../parts/fields";
import { decimals, plural } from "../../parts/figures";

type Kind = "too_fast" | "too_little";

/** A cut-off chosen by looking: the distribution, where it is cut, and how many lie under it. */
export function CutOff({ kind }: { kind: Kind }) {
  const study = useStudy();
  const { change } = useChange();
  const { data } = useQuery({
    queryKey: ["below", study.id, study.edition, "cut-off", kind],
    queryFn: () =>
      got(api.GET("/api/v1/studies/{study_id}/cut-off/{kind}", { params: { path: { study_id: study.id, kind } } })),
    placeholderData: (before) => before,
  });
  const [text, setText] = useState<string | null>(null);
  if (!data) return null;
  const factor = kind === "too_little" ? 100 : 1;
  const unit = kind === "too_little" ? "per cent answered" : "seconds";
  const shown = text ?? String(Math.round(data.cut * factor));
  const value = Number(shown) / factor;
  const top = Math.max(...data.bars, 1);
  const settings = study.document.screening ?? {};
  const leave = () => {
    if (text != null && value > 0 && value !== data.cut)
      change.mutate({
        screening: { ...settings, ...(kind === "too_fast" ? { fast: value } : { answered: Math.min(value, 1) }) },
      });
    setText(null);
  };
  return (
    <figure className="my-3 max-w-2xl">
      <div
        className="relative flex h-24 items-end gap-px border-rule border-b"
        role="img"
        aria-label={`Distribution of ${unit}; ${plural(data.under, "case")} under the cut-off`}
      >
        {data.bars.map((n, i) => (
          <span
            // biome-ignore lint/suspicious/noArrayIndexKey: bars have no other name than their place
            key={i}
            className={`grow ${((i + 0.5) * data.high) / data.bars.length < data.cut ? "bg-heed" : "bg-act"}`}
            style={{ height: `${(100 * n) / top}%` }}
          />
        ))}
        <span className="absolute inset-y-0 border-ink border-l" style={{ left: `${(100 * data.cut) / data.high}%` }} />
      </div>
      <figcaption className="figures flex justify-between text-soft text-sm">
        <span>0</span>
        <span>{unit}</span>
        <span>
          {decimals(data.high * factor, 0)}
          {kind === "too_fast" && " and more"}
        </span>
      </figcaption>
      <Field label={`Cut-off (${unit})`} hint={`${plural(data.under, "case")} below it.`}>
        {(p) => (
          <TextInput
            {...p}
            className="!w-28"
            inputMode="numeric"
            value={shown}
            onChange={(e) => setText(e.target.value)}
            onBlur={leave}
            onKeyDown={(e) => {
              if (e.key === "Enter") leave();
              const by = e.key === "ArrowUp" ? 1 : e.key === "ArrowDown" ? -1 : 0;
              if (by) setText(String(Math.max(1, Number(shown) + by * (kind === "too_fast" ? 5 : 1))));
            }}
          />
        )}
      </Field>
    </figure>
  );
}
