import createClient from "openapi-fetch";
import type { components, paths } from "./schema.gen";

export type Schemas = components["schemas"];
export type Account = Schemas["Account"];
export type Balance = Schemas["Balance"];
export type Clock = Schemas["Clock"];
export type EntryInput = Schemas["EntryInput"];
export type EntryKind = Schemas["EntryKind"];
export type Line = Schemas["Line"];
export type MeasureUnit = Schemas["MeasureUnit"];
export type Moment = Schemas["Moment"];
export type Product = Schemas["Product"];
export type Reading = Schemas["Reading"];
export type Verdict = Schemas["Verdict"];

/** Problem is an answer of the server that refuses, as an error. */
export class Problem extends Error {
  readonly status: number;
  readonly fields: readonly Schemas["FieldProblem"][];
  constructor(body: Schemas["Problem"]) {
    super(body.detail ?? body.title);
    this.status = body.status;
    this.fields = body.errors ?? [];
  }
}

const client = createClient<paths>({ baseUrl: window.location.origin });

async function answer<T>(call: Promise<{ data?: T; error?: unknown; response: Response }>): Promise<T> {
  let result;
  try {
    result = await call;
  } catch {
    throw new Problem({
      type: "about:blank",
      status: 0,
      title: "The server does not answer. Nothing you entered is lost; try again.",
    });
  }
  if (result.data !== undefined) return result.data;
  const error = result.error as Partial<Schemas["Problem"]> | undefined;
  throw new Problem({
    type: "about:blank",
    title: `The server answered ${result.response.status}.`,
    ...error,
    status: result.response.status,
  });
}

export const api = {
  morning: (signal?: AbortSignal) => answer(client.GET("/api/v1/morning", { signal })),
  units: (q: string, signal?: AbortSignal) =>
    answer(client.GET("/api/v1/units", { params: { query: { q, limit: 12 } }, signal })),
  account: (code: string, signal?: AbortSignal) =>
    answer(client.GET("/api/v1/units/{code}", { params: { path: { code } }, signal })),
  products: (signal?: AbortSignal) => answer(client.GET("/api/v1/products", { signal })),
  questions: (signal?: AbortSignal) => answer(client.GET("/api/v1/bench", { signal })),
  ask: (question: string, units: Schemas["UnitSystem"], inputs: Record<string, string>, signal?: AbortSignal) =>
    answer(
      client.POST("/api/v1/bench/{question}", { params: { path: { question } }, body: { units, inputs }, signal }),
    ),
  write: (code: string, body: EntryInput) =>
    answer(client.POST("/api/v1/units/{code}/entries", { params: { path: { code } }, body })),
  preview: (code: string, body: EntryInput, signal?: AbortSignal) =>
    answer(client.POST("/api/v1/units/{code}/entries/preview", { params: { path: { code } }, body, signal })),
};
