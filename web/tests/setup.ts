// The client takes what it sends requests with when it is loaded; addresses without a host are of the page.
const Whole = globalThis.Request;

globalThis.Request = class extends Whole {
  constructor(input: RequestInfo | URL, init?: RequestInit) {
    super(typeof input === "string" && input.startsWith("/") ? `http://localhost${input}` : input, init);
  }
};

/** The server of the test that is going on. */
export const server: { answer?: (request: Request) => Promise<Response> } = {};

globalThis.fetch = (input, init) => {
  const request = input instanceof Whole ? input : new Request(input, init);
  if (!server.answer) throw new Error(`nobody answers ${request.url}`);
  return server.answer(request);
};
