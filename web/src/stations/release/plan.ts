import { useChange, useStudy } from "../../api/queries";
import type { Part, Plan, ReleaseView } from "../../api/releases";

/** What a release is of, where the study has no plan of its own yet. */
export type Change = (to: Partial<Plan>) => void;

/** Changes of the plan. Its parts are those that are shown, where the plan leaves them to what there is. */
export function usePlan(view: ReleaseView | undefined) {
  const { change } = useChange();
  const study = useStudy();
  const saved = study.document.release;
  const plan = (saved ?? {}) as Partial<Plan>;
  const save: Change = (to) =>
    change.mutate((document) => ({ release: { ...(document.release ?? {}), ...to } as Plan }));
  const shown = plan.parts ?? view?.plan.parts ?? [];
  const parts = (to: (parts: readonly Part[]) => Part[]) =>
    change.mutate((document) => {
      const own = (document.release ?? {}) as Partial<Plan>;
      return { release: { ...own, parts: to(own.parts ?? shown) } as Plan };
    });
  return {
    plan,
    shown,
    save,
    /** One part changed in place. */
    put: (at: number, to: Partial<Part>) => parts((all) => all.map((p, k) => (k === at ? { ...p, ...to } : p))),
    move: (from: number, to: number) =>
      parts((all) => {
        const rest = all.filter((_, k) => k !== from);
        const one = all[from];
        if (one) rest.splice(to, 0, one);
        return rest;
      }),
    drop: (at: number) => parts((all) => all.filter((_, k) => k !== at)),
    add: (part: Part, at?: number) =>
      parts((all) => (at == null ? [...all, part] : [...all.slice(0, at), part, ...all.slice(at)])),
  };
}

export type Planning = ReturnType<typeof usePlan>;

/** The key that a part names a thing of the study by. */
export const KEYS: Record<string, keyof Part> = {
  tables: "table",
  models: "model",
  side_by_side: "side_by_side",
  reliability: "reliability",
  correlations: "correlations",
};

/** What a part shows of the study. */
export const shows = (part: Part | undefined) =>
  part?.table ?? part?.model ?? part?.reliability ?? part?.correlations ?? part?.side_by_side ?? null;
