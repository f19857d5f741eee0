import { Link, useLocation } from "@tanstack/react-router";
import { useStudy } from "../api/queries";
import { STATIONS } from "../stations";

/** Shape as well as colour says how a station stands. */
const MARKS: Record<string, { mark: string; tone: string; word: string }> = {
  ok: { mark: "●", tone: "text-act", word: "done so far" },
  attention: { mark: "▲", tone: "text-heed", word: "wants attention" },
  empty: { mark: "○", tone: "text-soft", word: "nothing yet" },
  waiting: { mark: "◌", tone: "text-soft", word: "waits" },
};

/** The six stations in order, on one line, each with its state. */
export function Path() {
  const study = useStudy();
  const here = useLocation().pathname.split("/")[3];
  return (
    <nav aria-label="Stations" className="px-6 pt-2">
      <ol className="grid grid-cols-6 border-rule border-b">
        {study.stations.map((station) => {
          const state = MARKS[station.state];
          const current = station.name === here;
          return (
            <li key={station.name} className="min-w-0">
              <Link
                to={`/study/$id/${station.name}` as "/study/$id/release/{-$item}"}
                params={{ id: study.id }}
                aria-current={current ? "page" : undefined}
                className={`block border-b-3 px-1 pb-1.5 hover:bg-wash ${current ? "border-act" : "border-transparent"}`}
              >
                <span className={`block font-serif leading-tight ${current ? "font-semibold" : ""}`}>
                  {STATIONS.find((s) => s.name === station.name)?.title}
                </span>
                <span className="block truncate text-soft text-xs">
                  <span className={`mr-1 ${state?.tone}`} title={state?.word}>
                    {state?.mark}
                  </span>
                  {station.says}
                </span>
              </Link>
            </li>
          );
        })}
      </ol>
    </nav>
  );
}
