import { Outlet } from "@tanstack/react-router";
import { Suspense, useMemo, useState } from "react";
import { useKeys } from "../parts/actions";
import { type Showing, ShowingContext } from "../parts/labels";
import { Notices } from "../parts/notices";
import { Doing } from "./doing";
import { Help } from "./help";
import { Palette } from "./palette";

/** What stands around every page: the palette, the help, the notices. */
export function Root() {
  useKeys();
  const [codes, setCodes] = useState(false);
  const showing = useMemo<Showing>(() => ({ codes, toggle: () => setCodes((c) => !c) }), [codes]);
  return (
    <ShowingContext value={showing}>
      <Suspense fallback={<p className="p-8 text-soft">Loading …</p>}>
        <Outlet />
      </Suspense>
      <Doing />
      <Palette />
      <Help />
      <Notices />
    </ShowingContext>
  );
}
