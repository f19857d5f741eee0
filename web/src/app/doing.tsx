import { Stop } from "@phosphor-icons/react";
import { useIsFetching, useIsMutating } from "@tanstack/react-query";
import { useRouterState } from "@tanstack/react-router";
import { useEffect, useState } from "react";
import { api, got, type Schema } from "../api/client";
import { ActionButton } from "../parts/actions";
import { percent } from "../parts/figures";

/** What the server is working out, once it takes longer than a moment. */
export function Doing() {
  const path = useRouterState({ select: (state) => state.location.pathname });
  const study = /^\/study\/([^/]+)/.exec(path)?.[1];
  const busy = useIsFetching() + useIsMutating() > 0;
  const [doing, setDoing] = useState<Schema["Doing"] | null>(null);
  useEffect(() => {
    setDoing(null);
    if (!busy || !study) return;
    const look = () =>
      got(api.GET("/api/v1/studies/{study_id}/doing", { params: { path: { study_id: study } } })).then(
        (found) => setDoing(found ?? null),
        () => setDoing(null),
      );
    const timer = setInterval(look, 400);
    return () => clearInterval(timer);
  }, [busy, study]);
  if (!doing) return null;
  return (
    <div className="fixed bottom-3 left-6 z-40 flex items-center gap-2 border-act border-l-4 bg-leaf px-3 py-1 text-sm shadow-lg">
      <p role="status" className="figures">
        {doing.says}
        {doing.share != null && `, ${percent(doing.share, 0)} %`}
      </p>
      <ActionButton
        id="stop-doing"
        label="Stop"
        icon={Stop}
        run={() => {
          if (study) api.DELETE("/api/v1/studies/{study_id}/doing", { params: { path: { study_id: study } } });
        }}
      />
    </div>
  );
}
