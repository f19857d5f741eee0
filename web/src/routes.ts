import { createRootRoute, createRoute } from "@tanstack/react-router";

/** What every address is below; the application says what is shown there. */
export const rootRoute = createRootRoute();

/** A study; each station's route is below it. */
export const studyRoute = createRoute({
  getParentRoute: () => rootRoute,
  path: "/study/$id",
  validateSearch: (search: Record<string, unknown>): { ledger?: boolean } => (search.ledger ? { ledger: true } : {}),
});
