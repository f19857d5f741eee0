import { Link } from "@tanstack/react-router";
import type { Schema } from "../../api/client";
import { useSaved } from "../../api/queries";

type Notice = Schema["Notice"];

/** The address of what a notice is about. */
export function placeOf(notice: Notice): string {
  switch (notice.station) {
    case "tables":
      return notice.id ? `tables/${notice.id}` : "tables";
    case "codebook":
      return notice.id ? `codebook/${notice.id}` : "codebook";
    case "release":
      return "release";
    default:
      return notice.station;
  }
}

/** What to look at before the release is made: each leads to its place, none forbids. */
export function Check({ notices }: { notices: readonly Notice[] }) {
  const study = useSaved();
  if (!notices.length) return <p className="mt-1 text-soft text-sm">Nothing to look at.</p>;
  return (
    <ul className="text-sm">
      {notices.map((notice) => (
        <li key={notice.says} className="flex gap-1.5 py-0.5">
          <span aria-hidden className="text-heed">
            ▲
          </span>
          <Link to={`/study/${study.id}/${placeOf(notice)}` as "/"} className="text-act hover:underline">
            {notice.says}
          </Link>
        </li>
      ))}
    </ul>
  );
}
