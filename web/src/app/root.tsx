import { Outlet } from "@tanstack/react-router";
import { lazy, type ReactNode, Suspense, useMemo, useState } from "react";
import { useKeys } from "../parts/actions";
import { type Showing, ShowingContext } from "../parts/labels";
import { Notices } from "../parts/notices";
import { useOpened } from "../parts/opened";
import { Doing } from "./doing";

const Palette = lazy(() => import("./palette").then((of) => ({ default: of.Palette })));
const Help = lazy(() => import("./help").then((of) => ({ default: of.Help })));

/** What is fetched when it is first opened, and stays from then on. */
function OnceOpened({ name, children }: { name: ReturnType<typeof useOpened>; children: ReactNode }) {
  const opened = useOpened() === name;
  const [asked, setAsked] = useState(opened);
  if (opened && !asked) setAsked(true);
  return asked && <Suspense fallback={null}>{children}</Suspense>;
}

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
      <OnceOpened name="palette">
        <Palette />
      </OnceOpened>
      <OnceOpened name="help">
        <Help />
      </OnceOpened>
      <Notices />
    </ShowingContext>
  );
}
