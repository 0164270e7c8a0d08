/** A stand-in for the server: answers what a test told it to, and keeps what it was asked. */

type Reply = (body: unknown, address: URL) => unknown;

interface Asked {
  what: string;
  body: unknown;
}

let replies: [method: string, path: RegExp, reply: Reply][] = [];
let requests: Asked[] = [];

/** Answers like the server's own refusals. */
export class Refused {
  constructor(
    readonly status: number,
    readonly detail: string,
    readonly code = "refused",
  ) {}
}

/** From now on answers `method` on `path`, in which `*` stands for one part, with what `reply` gives or promises. */
export function answer(method: string, path: string, reply: Reply): void {
  const pattern = path.split("*").map((part) => part.replace(/[.?]/g, "\\$&"));
  replies.unshift([method, new RegExp(`^/api/v1${pattern.join("[^/]+")}$`), reply]);
}

/** What was asked by a method other than GET, in order, such as "POST /jobs". */
export function asked(): Asked[] {
  return requests.filter(({ what }) => !what.startsWith("GET"));
}

export function forget(): void {
  replies = [];
  requests = [];
}

/** Stands in for `fetch`. */
export async function take(input: RequestInfo | URL, init?: RequestInit): Promise<Response> {
  const request = new Request(input, init);
  const address = new URL(request.url);
  const text = await request.text();
  // Files are not looked into.
  const body: unknown = /^[{[]/.test(text) ? JSON.parse(text) : undefined;
  requests.push({ what: `${request.method} ${address.pathname.replace("/api/v1", "")}`, body });
  const found = replies.find(([method, path]) => method === request.method && path.test(address.pathname));
  const said = found
    ? await found[2](body, address)
    : new Refused(404, `nobody answers ${request.method} ${address.pathname}`);
  if (!(said instanceof Refused)) return Response.json(said ?? null);
  const { status, detail, code } = said;
  return Response.json({ status, detail, code }, { status });
}
