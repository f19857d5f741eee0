import { ArrowSquareOut, Files, PaintBrush, Rows } from "@phosphor-icons/react";
import { useQuery } from "@tanstack/react-query";
import { Link, useNavigate, useParams } from "@tanstack/react-router";
import { useSaved, useStudy } from "../../api/queries";
import { madeReleases, nextRelease } from "../../api/releases";
import { ActionButton } from "../../parts/actions";
import { day } from "../../parts/figures";
import { arrows, Empty, Panes, Sub } from "../../parts/panes";
import { Check } from "./check";
import { Contents } from "./contents";
import { Earlier } from "./earlier";
import { Look } from "./look";
import { Making } from "./making";
import { OtherFiles } from "./other-files";
import { Pages } from "./pages";
import { usePlan } from "./plan";

const LOOK = "look";
const FILES = "files";
const MADE = "made.";

export function ReleaseStation() {
  const study = useStudy();
  const saved = useSaved();
  const { item } = useParams({ strict: false });
  const navigate = useNavigate();
  const ready = saved.faults.length === 0;
  const next = useQuery({ ...nextRelease(saved.id, saved.edition), enabled: ready });
  const { data: releases } = useQuery(madeReleases(saved.id, saved.edition));
  const planning = usePlan(next.data);
  const go = (to?: string) => navigate({ to: `/study/${study.id}/release${to ? `/${to}` : ""}` as "/" });
  const hand = () => {
    if (item === LOOK) return <Look planning={planning} />;
    if (item === FILES) return <OtherFiles />;
    if (item?.startsWith(MADE)) {
      const made = releases?.made ?? [];
      const number = Number(item.slice(MADE.length));
      if (!releases) return <p className="text-soft">Loading …</p>;
      return <Earlier key={number} made={made.find((r) => r.number === number)} others={made} />;
    }
    if (!ready) {
      return (
        <Empty title="Not ready yet">
          The blocking problems are listed above. The release is laid out once they are fixed.
        </Empty>
      );
    }
    if (next.error) return <Empty title="The release cannot be shown">{next.error.message}</Empty>;
    if (!next.data) {
      return (
        <p role="status" className="text-soft">
          Loading …
        </p>
      );
    }
    return <Pages view={next.data} planning={planning} />;
  };
  return (
    <Panes
      label="The release"
      left={
        <>
          <Making ready={ready} made={(number) => go(`${MADE}${number}`)} />
          <div className="mt-1 flex flex-wrap gap-x-1">
            <ActionButton
              id="release-pages"
              label="The document"
              icon={Rows}
              look="quiet"
              pressed={!item}
              run={() => go()}
            />
            <ActionButton
              id="release-look"
              label="Style and files"
              icon={PaintBrush}
              look="quiet"
              pressed={item === LOOK}
              run={() => go(LOOK)}
            />
            <ActionButton
              id="release-files"
              label="Single files"
              icon={Files}
              look="quiet"
              pressed={item === FILES}
              run={() => go(FILES)}
            />
            <ActionButton
              id="release-page"
              label="Open as a web page"
              icon={ArrowSquareOut}
              look="quiet"
              disabled={!ready}
              run={() => void window.open(`/api/v1/studies/${study.id}/releases/next/page`, "_blank", "noopener")}
            />
          </div>
          {releases && ready && (
            <>
              <Sub>Before it is made</Sub>
              <Check notices={releases.check} />
            </>
          )}
          {next.data && <Contents view={next.data} planning={planning} />}
          <Sub>Releases made</Sub>
          {releases?.made.length ? (
            <ul onKeyDown={arrows}>
              {releases.made.map((made) => (
                <li key={made.number}>
                  <Link
                    to={`/study/${study.id}/release/${MADE}${made.number}` as "/"}
                    className={`block rounded px-2 py-1 ${item === `${MADE}${made.number}` ? "bg-wash" : "hover:bg-wash"}`}
                  >
                    <span className="font-serif">
                      {made.number}. {made.title}
                    </span>
                    <span className="block text-soft text-sm">
                      {day(made.made)}, {made.who}
                    </span>
                  </Link>
                </li>
              ))}
            </ul>
          ) : (
            <p className="text-soft text-sm">None yet. One that was made stays as it was.</p>
          )}
        </>
      }
      right={hand()}
    />
  );
}
