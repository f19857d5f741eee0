import { createRoute, createRouter, lazyRouteComponent, redirect } from "@tanstack/react-router";
import { rootRoute, studyRoute } from "../routes";
import { STATIONS } from "../stations";
import { StudiesPage } from "../stations/studies/page";
import { Broken } from "./broken";
import { Root } from "./root";

const root = rootRoute.update({ component: Root, errorComponent: Broken, notFoundComponent: () => <Broken /> });
const study = studyRoute.update({
  component: lazyRouteComponent(() => import("./shell"), "StudyShell"),
  errorComponent: Broken,
});
const studies = createRoute({ getParentRoute: () => rootRoute, path: "/", component: StudiesPage });
const arriving = createRoute({
  getParentRoute: () => rootRoute,
  path: "/arriving/$file",
  component: lazyRouteComponent(() => import("../stations/intake/preview"), "IntakePreview"),
});
const first = createRoute({
  getParentRoute: () => studyRoute,
  path: "/",
  beforeLoad: ({ params }) => {
    throw redirect({ to: "/study/$id/intake/{-$item}", params: { id: params.id, item: undefined } });
  },
});

type Routes<T> = { -readonly [K in keyof T]: T[K] extends { route: infer R } ? R : never };
const below = STATIONS.map((station) => station.route) as unknown as Routes<typeof STATIONS>;

export const router = createRouter({
  routeTree: root.addChildren([studies, arriving, study.addChildren([first, ...below])]),
  defaultPreload: false,
});

/** Loads what is shown at other addresses while nobody waits, so that no station is waited for later. */
export async function loadTheRest(): Promise<void> {
  const routes = [study, arriving, ...STATIONS.map((station) => station.route)];
  const shown = routes.map(({ options }) =>
    (options.component as { preload?: () => Promise<void> } | undefined)?.preload?.(),
  );
  await Promise.all([import("./palette"), import("./help"), ...shown]);
}

declare module "@tanstack/react-router" {
  interface Register {
    router: typeof router;
  }
}
