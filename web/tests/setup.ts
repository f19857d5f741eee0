// The files of one worker share their modules, but this one runs anew for each: the client keeps the Request and the fetch
// that stood when it was loaded, so that whichever file was first, all must lead to the one server.
interface Held {
  evenBallotServer?: { answer?: (request: Request) => Promise<Response> };
}

const held = globalThis as typeof globalThis & Held;
const Whole = globalThis.Request;
const here: NonNullable<Held["evenBallotServer"]> = held.evenBallotServer ?? {};
held.evenBallotServer = here;

// Addresses without a host are of the page.
globalThis.Request = class extends Whole {
  constructor(input: RequestInfo | URL, init?: RequestInit) {
    super(typeof input === "string" && input.startsWith("/") ? `http://localhost${input}` : input, init);
  }
};

globalThis.fetch = (input, init) => {
  const request = input instanceof Whole ? input : new Request(input, init);
  if (!here.answer) throw new Error(`nobody answers ${request.url}`);
  return here.answer(request);
};

/** The server of the test that is going on. */
export const server = here;
