import { QueryClient, QueryClientProvider } from "@tanstack/react-query";
import { createMemoryHistory, createRouter, RouterProvider } from "@tanstack/react-router";
import { cleanup, configure, render } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { afterEach, beforeEach, vi } from "vitest";
import { loadTheRest, router } from "../src/app/router";
import recorded from "./recorded.json";
import { server as here } from "./setup";

// Whatever is fetched when it is first shown is there, as it is soon after a page was opened.
await loadTheRest();
// A slow machine is no fault.
configure({ asyncUtilTimeout: 20_000 });

/** A request as it came. */
export interface Asked {
  method: string;
  path: string;
  query: URLSearchParams;
  // biome-ignore lint/suspicious/noExplicitAny: whatever a test wants to look into
  body: any;
}

type Answer = unknown | ((asked: Asked) => unknown);

/** An answer that is a refusal. */
export class Refused {
  constructor(
    readonly status: number,
    readonly faults: { what: string; where: string; mend: string }[],
  ) {}
}

const ANSWERS = recorded as Record<string, unknown>;

/** A server that answers as the real one did when its answers were recorded; changes are taken as they are asked for. */
export class Served {
  readonly asked: Asked[] = [];
  private study = structuredClone(ANSWERS["GET /studies/s1"]) as {
    edition: number;
    document: Record<string, unknown>;
    title: string;
  };

  constructor(private readonly own: Record<string, Answer>) {}

  /** What was asked with a method, at the end of a path. */
  sent(method: string, end = ""): Asked[] {
    return this.asked.filter((a) => a.method === method && a.path.endsWith(end));
  }

  /** The parts of the last change. */
  get changed() {
    return this.sent("PATCH").at(-1)?.body.parts;
  }

  private answerTo(asked: Asked): unknown {
    const key = `${asked.method} ${asked.path}`;
    if (key in this.own) {
      const answer = this.own[key];
      return typeof answer === "function" ? answer(asked) : answer;
    }
    if (key === "PATCH /studies/s1") {
      const { title = this.study.title, ...parts } = asked.body.parts;
      const document = { ...this.study.document, ...parts };
      this.study = { ...this.study, title, document, edition: this.study.edition + 1 };
    }
    if (key === "GET /studies/s1" || key === "PATCH /studies/s1") return this.study;
    if (key in ANSWERS) return ANSWERS[key];
    return new Refused(404, [{ what: `Nothing was recorded for ${key}.`, where: "", mend: "" }]);
  }

  async fetch(request: Request): Promise<Response> {
    const url = new URL(request.url);
    const text = await request.clone().text();
    const asked = {
      method: request.method,
      path: url.pathname.replace("/api/v1", ""),
      query: url.searchParams,
      body: text.startsWith("{") ? JSON.parse(text) : text,
    };
    this.asked.push(asked);
    const answer = await this.answerTo(asked);
    const refused = answer instanceof Refused;
    return new Response(JSON.stringify(refused ? { faults: answer.faults } : (answer ?? null)), {
      status: refused ? answer.status : 200,
      headers: { "content-type": "application/json" },
    });
  }
}

class Observer {
  observe() {}
  unobserve() {}
  disconnect() {}
}

/** What the environment lacks: it lays nothing out, and opens no streams. */
function lay() {
  Element.prototype.scrollIntoView = () => {};
  Element.prototype.hasPointerCapture = () => false;
  HTMLDialogElement.prototype.showModal ??= function (this: HTMLDialogElement) {
    this.open = true;
  };
  HTMLDialogElement.prototype.close ??= function (this: HTMLDialogElement) {
    this.open = false;
  };
  vi.stubGlobal("ResizeObserver", Observer);
  vi.stubGlobal("IntersectionObserver", Observer);
  vi.stubGlobal("EventSource", Observer);
  vi.stubGlobal("matchMedia", () => ({ matches: false, addEventListener() {}, removeEventListener() {} }));
  vi.stubGlobal("scrollTo", () => {});
}

/** Every test of the file begins with nothing stored and nothing on the page. */
export function fresh() {
  beforeEach(() => {
    localStorage.clear();
    lay();
  });
  afterEach(() => {
    cleanup();
    vi.unstubAllGlobals();
  });
}

/** Opens an address of the application before a server; own: answers in place of those recorded, by method and path. */
export function visit(path: string, own: Record<string, Answer> = {}) {
  const server = new Served(own);
  here.answer = (request) => server.fetch(request);
  const client = new QueryClient({
    defaultOptions: { queries: { retry: false, networkMode: "always" }, mutations: { networkMode: "always" } },
  });
  const history = createMemoryHistory({ initialEntries: [path] });
  const shown = createRouter({ routeTree: router.routeTree, history, defaultPreload: false });
  render(
    <QueryClientProvider client={client}>
      <RouterProvider router={shown as unknown as typeof router} />
    </QueryClientProvider>,
  );
  return { server, user: userEvent.setup(), address: () => shown.state.location.href };
}
