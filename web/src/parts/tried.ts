import { useQuery } from "@tanstack/react-query";
import { api, got, type Schema } from "../api/client";
import { useStudy } from "../api/queries";
import { useWaited } from "./waited";

/** How many cases a condition is true of, or false of, once it has been left alone for a moment; undefined until then. */
export function useTried(where: string, broken = false): Schema["ConditionView"] | undefined {
  const study = useStudy();
  const settled = useWaited(where, 250);
  const { data } = useQuery({
    queryKey: ["condition", study.id, study.edition, settled, broken],
    enabled: settled !== "",
    queryFn: () =>
      got(
        api.POST("/api/v1/studies/{study_id}/condition", {
          params: { path: { study_id: study.id } },
          body: { where: settled, broken },
        }),
      ),
  });
  return settled === where && where !== "" ? data : undefined;
}
