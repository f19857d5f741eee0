import { createRoute, createRouter, redirect } from "@tanstack/react-router";
import { rootRoute, studyRoute } from "../routes";
import { STATIONS } from "../stations";
import { IntakePreview } from "../stations/intake/preview";
import { StudiesPage } from "../stations/studies/page";
import { Broken } from "./broken";
import { Root } from "./root";
import { StudyShell } from "./shell";

const root = rootRoute.update({ component: Root, errorComponent: Broken, notFoundComponent: () => <Broken /> });
const study = studyRoute.update({ component: StudyShell, errorComponent: Broken });
const studies = createRoute({ getParentRoute: () => rootRoute, path: "/", component: StudiesPage });
const arriving = createRoute({ getParentRoute: () => rootRoute, path: "/arriving/$file", component: IntakePreview });
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

declare module "@tanstack/react-router" {
  interface Register {
    router: typeof router;
  }
}
