// Every call to the server goes through here: the operation's name gives the types of parameters,
// body and answer. Only this folder turns JSON into types.
import type { Nothing, OperationName, Operations, Problem } from "./operations";
import { roles } from "./operations";

type Shape<T> = { [K in keyof T]: T[K] | undefined };
export type Asked<N extends OperationName> = Operations[N]["asked"] extends Nothing
  ? Shape<Operations[N]["asked"]>
  : Operations[N]["asked"];
export type Answer<N extends OperationName> = Operations[N]["answer"];
export type Body<N extends OperationName> = Operations[N]["body"];

/** A refusal of the server, in its own sentence; or that it does not answer at all. */
export class Refusal extends Error {
  readonly problem: Problem;
  constructor(problem: Problem) {
    super(problem.detail);
    this.problem = problem;
  }
  get sentence(): string {
    return this.problem.detail;
  }
  get isUnreachable(): boolean {
    return this.problem.status === 0;
  }
}

const none = { type: "", title: "", nearest: "", expected: "", actual: "" };

export function unreachable(): Refusal {
  const detail = "the server does not answer; nothing is known of what was asked";
  return new Refusal({ ...none, status: 0, kind: "io", detail });
}

type Told = { what: "log-in-needed"; why: string };
let tell: (told: Told) => void = () => {};
/** Called when a call needs a log-in. */
export function hearOfCalls(listener: (told: Told) => void): void {
  tell = listener;
}

function text(value: unknown): string {
  return Array.isArray(value) ? value.join(",") : String(value);
}

/** The address of a call: its path, with the other parameters in the query. */
export function target(name: OperationName, asked: object): string {
  const path = name.slice(name.indexOf(" ") + 1);
  const query = new URLSearchParams();
  const left = new Map(Object.entries(asked));
  const filled = path.replace(/\{(\w+)\}/g, (_, key: string) => {
    const value = left.get(key);
    left.delete(key);
    return encodeURIComponent(text(value));
  });
  for (const [key, value] of left) {
    if (value === undefined || value === null || value === "") continue;
    if (typeof value === "object" && !Array.isArray(value)) {
      for (const [inner, one] of Object.entries(value)) query.set(`${key}.${inner}`, text(one));
    } else {
      query.set(key, text(value));
    }
  }
  const behind = query.toString();
  return behind === "" ? filled : `${filled}?${behind}`;
}

async function refusalOf(response: Response): Promise<Refusal> {
  try {
    const problem = (await response.json()) as Problem;
    if (typeof problem.detail === "string") return new Refusal({ ...none, ...problem });
  } catch {
    // A proxy between here and the server answered.
  }
  const detail = `the answer was ${response.status} ${response.statusText}, without a reason`;
  return new Refusal({ ...none, status: response.status, kind: "io", detail });
}

/** Operations that only read. */
export type Question = Extract<OperationName, `GET ${string}`>;

export function ask<N extends Question>(
  name: N,
  asked: Asked<N>,
  signal?: AbortSignal,
): Promise<Answer<N>> {
  return send(name, asked, undefined, signal);
}

/** With a body if the operation has one. */
export function call<N extends OperationName>(
  name: N,
  asked: Asked<N>,
  ...body: Body<N> extends undefined ? [] : [Body<N>]
): Promise<Answer<N>> {
  return send(name, asked, body[0]);
}

async function send<N extends OperationName>(
  name: N,
  asked: Asked<N>,
  body: unknown,
  signal?: AbortSignal,
): Promise<Answer<N>> {
  const method = name.slice(0, name.indexOf(" "));
  const request: RequestInit = { method, credentials: "same-origin" };
  if (signal) request.signal = signal;
  if (body instanceof Blob) {
    request.body = body;
  } else if (body !== undefined) {
    request.body = JSON.stringify(body);
    request.headers = { "Content-Type": "application/json" };
  }
  let response: Response;
  try {
    response = await fetch(target(name, asked), request);
  } catch {
    throw unreachable();
  }
  if (!response.ok) {
    const refusal = await refusalOf(response);
    // The log-in form shows its own refusals.
    if (response.status === 401 && roles[name] !== "anyone") {
      tell({ what: "log-in-needed", why: refusal.sentence });
    }
    throw refusal;
  }
  const type = response.headers.get("content-type") ?? "";
  if (type.startsWith("application/json")) return (await response.json()) as Answer<N>;
  if (type.startsWith("text/")) return (await response.text()) as Answer<N>;
  return (await response.blob()) as Answer<N>;
}

export function asRefusal(failure: unknown): Refusal {
  if (failure instanceof Refusal) return failure;
  const detail = failure instanceof Error ? failure.message : String(failure);
  return new Refusal({ ...none, status: 0, kind: "io", detail });
}
