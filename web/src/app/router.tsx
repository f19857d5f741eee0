import { createRootRoute, createRoute, createRouter, redirect } from "@tanstack/react-router";
import { CodebookStation } from "../stations/codebook/station";
import { IntakePreview } from "../stations/intake/preview";
import { IntakeStation } from "../stations/intake/station";
import { ReleaseStation } from "../stations/release/station";
import { ScreeningStation } from "../stations/screening/station";
import { StudiesPage } from "../stations/studies/page";
import { TablesStation } from "../stations/tables/station";
import { WeightingStation } from "../stations/weighting/station";
import { Broken } from "./broken";
import { Root } from "./root";
import { StudyShell } from "./shell";

const root = createRootRoute({ component: Root, errorComponent: Broken, notFoundComponent: () => <Broken /> });

const studies = createRoute({ getParentRoute: () => root, path: "/", component: StudiesPage });
const arriving = createRoute({ getParentRoute: () => root, path: "/arriving/$file", component: IntakePreview });

const study = createRoute({
  getParentRoute: () => root,
  path: "/study/$id",
  component: StudyShell,
  errorComponent: Broken,
  validateSearch: (search: Record<string, unknown>): { ledger?: boolean } => (search.ledger ? { ledger: true } : {}),
});
const first = createRoute({
  getParentRoute: () => study,
  path: "/",
  beforeLoad: ({ params }) => {
    throw redirect({ to: "/study/$id/intake/{-$item}", params: { id: params.id, item: undefined } });
  },
});
const intake = createRoute({ getParentRoute: () => study, path: "intake/{-$item}", component: IntakeStation });
const codebook = createRoute({
  getParentRoute: () => study,
  path: "codebook/{-$item}",
  component: CodebookStation,
  validateSearch: (search: Record<string, unknown>): { tool?: string } =>
    search.tool ? { tool: String(search.tool) } : {},
});
/** Which cells are looked at, and in what order. */
interface CellsSearch {
  where?: string;
  sort?: string;
  down?: boolean;
  aside?: number;
}
const screening = createRoute({
  getParentRoute: () => study,
  path: "screening/{-$item}",
  component: ScreeningStation,
  validateSearch: (search: Record<string, unknown>): CellsSearch => ({
    ...(search.where ? { where: String(search.where) } : {}),
    ...(search.sort ? { sort: String(search.sort) } : {}),
    ...(search.down ? { down: true } : {}),
    ...(Number(search.aside) > 0 ? { aside: Number(search.aside) } : {}),
  }),
});
const weighting = createRoute({ getParentRoute: () => study, path: "weighting/{-$item}", component: WeightingStation });
const tables = createRoute({ getParentRoute: () => study, path: "tables/{-$item}", component: TablesStation });
const release = createRoute({ getParentRoute: () => study, path: "release", component: ReleaseStation });

export const router = createRouter({
  routeTree: root.addChildren([
    studies,
    arriving,
    study.addChildren([first, intake, codebook, screening, weighting, tables, release]),
  ]),
  defaultPreload: false,
});

declare module "@tanstack/react-router" {
  interface Register {
    router: typeof router;
  }
}

export const STATIONS = ["intake", "codebook", "screening", "weighting", "tables", "release"] as const;
export type StationName = (typeof STATIONS)[number];
