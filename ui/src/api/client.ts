import createClient from "openapi-fetch";
import { serverSaid } from "../frame/clock";
import type { components, paths } from "./schema.gen";

export type Schemas = components["schemas"];
export type Account = Schemas["Account"];
export type Balance = Schemas["Balance"];
export type Clock = Schemas["Clock"];
export type EntryInput = Schemas["EntryInput"];
export type EntryKind = Schemas["EntryKind"];
export type EntryBody = Schemas["EntryBody"];
export type Explanation = Schemas["Explanation"];
export type Role = Schemas["Role"];
export type Session = Schemas["Session"];
export type Line = Schemas["Line"];
export type MeasureUnit = Schemas["MeasureUnit"];
export type EntryEffectSide = Schemas["EntryEffectSide"];
export type Product = Schemas["Product"];
export type Reading = Schemas["Reading"];
export type Typed = Schemas["Typed"];
export type Verdict = Schemas["Verdict"];

/** Problem is an answer of the server that refuses, as an error. */
export class Problem extends Error {
  readonly status: number;
  readonly fields: readonly Schemas["FieldProblem"][];
  /** Accepted values of the first wrong field, and so on, by pointer. */
  refusalOf(pointer: string): string | undefined {
    const f = this.fields.find((one) => one.pointer === pointer);
    if (f?.question) return f.detail;
    return f && (f.accepted ? `${f.detail}; accepted: ${f.accepted}` : f.detail);
  }
  constructor(body: Schemas["Problem"]) {
    super(body.detail ?? body.title);
    this.status = body.status;
    this.fields = body.errors ?? [];
  }
}

const client = createClient<paths>({ baseUrl: window.location.origin });

// Each answer says what time it is at the server: a device whose clock is wrong, or was set, learns it with whatever it asks or sends.
const askedAt = new WeakMap<Request, number>();
client.use({
  onRequest: ({ request }) => {
    askedAt.set(request, Date.now());
  },
  onResponse: ({ request, response }) => {
    const now = response.headers.get("Server-Time");
    const asked = askedAt.get(request);
    if (now && asked !== undefined) serverSaid(now, asked, Date.now());
  },
});

let signedOut = () => {};

/** What to do when an answer says that no one is signed in. */
export function onSignedOut(act: () => void) {
  signedOut = act;
}

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
  if (result.response.ok) return undefined as T;
  if (result.response.status === 401) signedOut();
  const error = result.error as Partial<Schemas["Problem"]> | undefined;
  throw new Problem({
    type: "about:blank",
    title: `The server answered ${result.response.status}.`,
    ...error,
    status: result.response.status,
  });
}

export type EntriesQuery = NonNullable<paths["/api/v1/entries"]["get"]["parameters"]["query"]>;
export type AuditQuery = NonNullable<paths["/api/v1/audit"]["get"]["parameters"]["query"]>;

type Body<P extends keyof paths> = paths[P] extends {
  post: { requestBody: { content: { "application/json": infer B } } };
}
  ? B
  : never;

export const api = {
  jobs: (signal?: AbortSignal) => answer(client.GET("/api/v1/jobs", { signal })),
  jobChoices: (unit: string, signal?: AbortSignal) =>
    answer(client.GET("/api/v1/jobs/choices", { params: { query: { unit } }, signal })),
  previewJob: (body: Schemas["JobInput"], signal?: AbortSignal) =>
    answer(client.POST("/api/v1/jobs/sheet", { body, signal })),
  startJob: (body: Schemas["JobInput"]) => answer(client.POST("/api/v1/jobs", { body })),
  job: (id: string, revision?: number, signal?: AbortSignal) =>
    answer<Schemas["Job"] | undefined>(
      client.GET("/api/v1/jobs/{id}", { params: { path: { id }, query: { revision } }, signal }),
    ),
  addJobEvents: (id: string, body: Schemas["JobEvents"]) =>
    answer(client.POST("/api/v1/jobs/{id}/events", { params: { path: { id } }, body })),
  releaseJob: (id: string, body: Schemas["JobRelease"]) =>
    answer(client.POST("/api/v1/jobs/{id}/release", { params: { path: { id } }, body })),
  setJobParameter: (body: Schemas["JobParameterInput"]) => answer(client.PUT("/api/v1/jobs/parameters", { body })),
  session: (signal?: AbortSignal) => answer(client.GET("/api/v1/session", { signal })),
  signIn: (email: string, password: string) => answer(client.POST("/api/v1/session", { body: { email, password } })),
  signOut: (everywhere: boolean) => answer(client.DELETE("/api/v1/session", { params: { query: { everywhere } } })),
  requestPasswordReset: (email: string) => answer(client.POST("/api/v1/password-reset", { body: { email } })),
  sealKey: (signal?: AbortSignal) => answer(client.GET("/api/v1/session/seal-key", { signal })),
  changeReading: (body: Schemas["ReadingSettings"]) => answer(client.PUT("/api/v1/session/reading", { body })),
  link: (token: string, signal?: AbortSignal) =>
    answer(client.GET("/api/v1/links/{token}", { params: { path: { token } }, signal })),
  useLink: (token: string, body: { password: string; name?: string; email?: string }) =>
    answer(client.POST("/api/v1/links/{token}", { params: { path: { token } }, body })),
  servicePlans: (signal?: AbortSignal) => answer(client.GET("/api/v1/service-plans", { signal })),
  addServicePlan: (body: Schemas["ServicePlanInput"]) => answer(client.POST("/api/v1/service-plans", { body })),
  changeServicePlan: (id: number, revision: string, body: Schemas["ServicePlanInput"]) =>
    answer(
      client.PUT("/api/v1/service-plans/{id}", { params: { path: { id }, header: { "If-Match": revision } }, body }),
    ),
  previewServicePlan: (id: number, body: Schemas["ServicePlanInput"], signal?: AbortSignal) =>
    answer(client.POST("/api/v1/service-plans/{id}/preview", { params: { path: { id } }, body, signal })),
  assignServicePlan: (code: string, plan: number) =>
    answer(client.PUT("/api/v1/units/{code}/service-plan", { params: { path: { code } }, body: { plan } })),
  previewServicePlanByKind: (id: number, body: { kind: Schemas["UnitKind"]; site?: string }, signal?: AbortSignal) =>
    answer(client.POST("/api/v1/service-plans/{id}/units/preview", { params: { path: { id } }, body, signal })),
  assignServicePlanByKind: (id: number, body: { kind: Schemas["UnitKind"]; site?: string }) =>
    answer(client.PUT("/api/v1/service-plans/{id}/units", { params: { path: { id } }, body })),
  sites: (signal?: AbortSignal) => answer(client.GET("/api/v1/sites", { signal })),
  changeSite: (id: number, body: { returnPeriod?: number; zone?: string; water?: Schemas["Water"] }) =>
    answer(client.PUT("/api/v1/sites/{id}", { params: { path: { id } }, body })),
  settings: (signal?: AbortSignal) => answer(client.GET("/api/v1/settings", { signal })),
  changeSettings: (body: Schemas["SettingsChange"]) => answer(client.PUT("/api/v1/settings", { body })),
  numbers: (texts: Record<string, string>, signal?: AbortSignal) =>
    answer(client.POST("/api/v1/numbers", { body: { texts }, signal })),
  dates: (body: { texts: Record<string, string>; moments?: boolean; unit?: string }, signal?: AbortSignal) =>
    answer(client.POST("/api/v1/dates", { body, signal })),
  plan: (from: string, weeks: number, signal?: AbortSignal) =>
    answer(client.GET("/api/v1/plan", { params: { query: { from, weeks } }, signal })),
  proposePlan: (body: Body<"/api/v1/plan/propose">) => answer(client.POST("/api/v1/plan/propose", { body })),
  movePlan: (body: Body<"/api/v1/plan/move">) => answer(client.POST("/api/v1/plan/move", { body })),
  takeOffPlan: (body: Body<"/api/v1/plan/take-off">) => answer(client.POST("/api/v1/plan/take-off", { body })),
  pinPlan: (body: Body<"/api/v1/plan/pin">) => answer(client.POST("/api/v1/plan/pin", { body })),
  undoPlan: (redo: boolean) => answer(client.POST("/api/v1/plan/undo", { body: { redo } })),
  agreeWeek: (monday: string, revision: number) =>
    answer(client.PUT("/api/v1/plan/weeks/{monday}", { params: { path: { monday } }, body: { revision } })),
  unlockWeek: (monday: string) =>
    answer(client.DELETE("/api/v1/plan/weeks/{monday}", { params: { path: { monday } } })),
  planOptions: (id: number, from: string, weeks: number, signal?: AbortSignal) =>
    answer(client.GET("/api/v1/plan/items/{id}/options", { params: { path: { id }, query: { from, weeks } }, signal })),
  explainPlan: (id: number, signal?: AbortSignal) =>
    answer(client.GET("/api/v1/plan/items/{id}", { params: { path: { id } }, signal })),
  whatIf: (body: Body<"/api/v1/plan/what-if">) => answer(client.POST("/api/v1/plan/what-if", { body })),
  planDay: (day: string | undefined, technician: number | undefined, signal?: AbortSignal) =>
    answer(client.GET("/api/v1/plan/day", { params: { query: { day, technician } }, signal })),
  calendars: (signal?: AbortSignal) => answer(client.GET("/api/v1/plan/calendars", { signal })),
  addCalendar: (body: Body<"/api/v1/plan/calendars">) => answer(client.POST("/api/v1/plan/calendars", { body })),
  revokeCalendar: (id: number) => answer(client.DELETE("/api/v1/plan/calendars/{id}", { params: { path: { id } } })),
  workList: (signal?: AbortSignal) => answer(client.GET("/api/v1/work-list", { signal })),
  addWork: (body: { units: string[]; from?: string; to?: string }) =>
    answer(client.POST("/api/v1/work-list", { body })),
  rescheduleWork: (id: number, from: string, to: string) =>
    answer(client.PUT("/api/v1/work-list/{id}", { params: { path: { id } }, body: { from, to } })),
  removeWork: (ids: number[]) => answer(client.POST("/api/v1/work-list/remove", { body: { ids } })),
  records: (
    of: Schemas["RecordKind"],
    query: NonNullable<paths["/api/v1/register/{of}"]["get"]["parameters"]["query"]>,
    signal?: AbortSignal,
  ) => answer(client.GET("/api/v1/register/{of}", { params: { path: { of }, query }, signal })),
  recordForm: (
    of: Schemas["RecordKind"],
    query: NonNullable<paths["/api/v1/register/{of}/form"]["get"]["parameters"]["query"]>,
    signal?: AbortSignal,
  ) => answer(client.GET("/api/v1/register/{of}/form", { params: { path: { of }, query }, signal })),
  record: (of: Schemas["RecordKind"], key: string, signal?: AbortSignal) =>
    answer(client.GET("/api/v1/register/{of}/records/{key}", { params: { path: { of, key } }, signal })),
  addRecord: (of: Schemas["RecordKind"], body: Schemas["RecordInput"]) =>
    answer(client.POST("/api/v1/register/{of}", { params: { path: { of } }, body })),
  changeRecord: (of: Schemas["RecordKind"], key: string, revision: string, body: Schemas["RecordInput"]) =>
    answer(
      client.PUT("/api/v1/register/{of}/records/{key}", {
        params: { path: { of, key }, header: { "If-Match": revision } },
        body,
      }),
    ),
  previewRecord: (of: Schemas["RecordKind"], key: string, body: Schemas["RecordInput"], signal?: AbortSignal) =>
    answer(client.POST("/api/v1/register/{of}/records/{key}/preview", { params: { path: { of, key } }, body, signal })),
  undoRecordChange: (of: Schemas["RecordKind"], key: string, revision: string, change: number) =>
    answer(
      client.POST("/api/v1/register/{of}/records/{key}/undo", {
        params: { path: { of, key }, header: { "If-Match": revision } },
        body: { change },
      }),
    ),
  addCircuit: (code: string, body: { circuit: Schemas["Circuit"]; capacity: string }) =>
    answer(client.POST("/api/v1/units/{code}/circuits", { params: { path: { code } }, body })),
  changeCircuit: (code: string, body: { name?: Schemas["Circuit"]; ended?: boolean }) =>
    answer(client.PUT("/api/v1/units/{code}/circuit", { params: { path: { code } }, body })),
  leaveFleet: (code: string, revision: string, body: { how: "retired" | "sold"; day: string }) =>
    answer(
      client.PUT("/api/v1/units/{code}/left", { params: { path: { code }, header: { "If-Match": revision } }, body }),
    ),
  returnToFleet: (code: string, revision: string) =>
    answer(
      client.DELETE("/api/v1/units/{code}/left", { params: { path: { code }, header: { "If-Match": revision } } }),
    ),
  imports: (signal?: AbortSignal) => answer(client.GET("/api/v1/imports", { signal })),
  uploadImport: (file: File) =>
    answer(
      client.POST("/api/v1/imports", {
        params: { query: { name: file.name } },
        body: file as unknown as string,
        bodySerializer: () => file,
        headers: { "Content-Type": "application/octet-stream" },
      }),
    ),
  import: (id: number, signal?: AbortSignal) =>
    answer(client.GET("/api/v1/imports/{id}", { params: { path: { id } }, signal })),
  checkImport: (id: number, body: { columns: string[]; options: Schemas["ImportOptions"] }) =>
    answer(client.POST("/api/v1/imports/{id}/check", { params: { path: { id } }, body })),
  actImport: (id: number, what: "run" | "cancel" | "reverse") => {
    const params = { params: { path: { id } } };
    switch (what) {
      case "run":
        return answer(client.POST("/api/v1/imports/{id}/run", params));
      case "cancel":
        return answer(client.POST("/api/v1/imports/{id}/cancel", params));
      case "reverse":
        return answer(client.POST("/api/v1/imports/{id}/reverse", params));
    }
  },
  importNights: (id: number, file: File) =>
    answer(
      client.POST("/api/v1/sites/{id}/nights", {
        params: { path: { id } },
        body: file as unknown as string,
        bodySerializer: () => file,
        headers: { "Content-Type": "application/octet-stream" },
      }),
    ),
  tokens: (signal?: AbortSignal) => answer(client.GET("/api/v1/tokens", { signal })),
  addToken: (body: { name: string; role: Schemas["TokenRole"]; scope?: Schemas["TokenScope"]; endsOn: string }) =>
    answer(client.POST("/api/v1/tokens", { body })),
  revokeToken: (id: number) => answer(client.DELETE("/api/v1/tokens/{id}", { params: { path: { id } } })),
  workbook: (body: Schemas["Workbook"]) => answer(client.POST("/api/v1/workbook", { body, parseAs: "blob" })),
  startingRegister: (signal?: AbortSignal) => answer(client.GET("/api/v1/starting-register", { signal })),
  takeStartingRegister: (body: { types: string[]; plans: string[] }) =>
    answer(client.POST("/api/v1/starting-register", { body })),
  people: (signal?: AbortSignal) => answer(client.GET("/api/v1/people", { signal })),
  invite: (body: { name: string; email: string; role: Role; confirmed?: boolean }) =>
    answer(client.POST("/api/v1/people", { body })),
  inviteAgain: (id: number) => answer(client.POST("/api/v1/people/{id}/invitation", { params: { path: { id } } })),
  changePerson: (id: number, body: { role?: Role; active?: boolean; name?: string; email?: string }) =>
    answer(client.PATCH("/api/v1/people/{id}", { params: { path: { id } }, body })),
  audit: (query: AuditQuery, signal?: AbortSignal) =>
    answer(client.GET("/api/v1/audit", { params: { query }, signal })),
  entries: (query: EntriesQuery, signal?: AbortSignal) =>
    answer(client.GET("/api/v1/entries", { params: { query }, signal })),
  morning: (limit: number, signal?: AbortSignal) =>
    answer(client.GET("/api/v1/morning", { params: { query: { limit } }, signal })),
  horizon: (query: paths["/api/v1/horizon"]["get"]["parameters"]["query"], signal?: AbortSignal) =>
    answer(client.GET("/api/v1/horizon", { params: { query }, signal })),
  horizonUnits: (query: paths["/api/v1/horizon/units"]["get"]["parameters"]["query"], signal?: AbortSignal) =>
    answer(client.GET("/api/v1/horizon/units", { params: { query }, signal })),
  runningOut: (query: paths["/api/v1/horizon/span"]["get"]["parameters"]["query"], signal?: AbortSignal) =>
    answer(client.GET("/api/v1/horizon/span", { params: { query }, signal })),
  units: (q: string, signal?: AbortSignal) =>
    answer(client.GET("/api/v1/units", { params: { query: { q, limit: 12 } }, signal })),
  lines: (
    code: string,
    query: paths["/api/v1/units/{code}/lines"]["get"]["parameters"]["query"],
    signal?: AbortSignal,
  ) => answer(client.GET("/api/v1/units/{code}/lines", { params: { path: { code }, query }, signal })),
  account: (code: string, signal?: AbortSignal) =>
    answer(client.GET("/api/v1/units/{code}", { params: { path: { code } }, signal })),
  products: (signal?: AbortSignal) => answer(client.GET("/api/v1/products", { signal })),
  additives: (signal?: AbortSignal) => answer(client.GET("/api/v1/additives", { signal })),
  instruments: (signal?: AbortSignal) => answer(client.GET("/api/v1/instruments", { signal })),
  questions: (signal?: AbortSignal) => answer(client.GET("/api/v1/bench", { signal })),
  convert: (question: string, from: Schemas["UnitSystem"], to: Schemas["UnitSystem"], inputs: Record<string, string>) =>
    answer(
      client.POST("/api/v1/bench/{question}/units", { params: { path: { question } }, body: { from, to, inputs } }),
    ),
  ask: (question: string, units: Schemas["UnitSystem"], inputs: Record<string, string>, signal?: AbortSignal) =>
    answer(
      client.POST("/api/v1/bench/{question}", { params: { path: { question } }, body: { units, inputs }, signal }),
    ),
  /** Has the page ask who is signed in. */
  noSession: () => signedOut(),
  writeEntries: (body: Schemas["EntryBatch"]) => answer(client.POST("/api/v1/entries", { body })),
  walkRows: (signal?: AbortSignal) => answer(client.GET("/api/v1/walk-rows", { signal })),
  walk: (query: paths["/api/v1/walk"]["get"]["parameters"]["query"], signal?: AbortSignal) =>
    answer(client.GET("/api/v1/walk", { params: { query }, signal })),
  rounds: (signal?: AbortSignal) => answer(client.GET("/api/v1/rounds", { signal })),
  round: (id: string, signal?: AbortSignal) =>
    answer(client.GET("/api/v1/rounds/{id}", { params: { path: { id } }, signal })),
  reportRound: (id: string, body: Schemas["RoundInput"]) =>
    answer(client.PUT("/api/v1/rounds/{id}", { params: { path: { id } }, body })),
  addPhoto: (sha256: string, photo: Blob) =>
    answer(
      client.PUT("/api/v1/attachments/{sha256}", {
        params: { path: { sha256 } },
        body: photo as unknown as string,
        bodySerializer: () => photo,
        headers: { "Content-Type": "image/jpeg" },
      }),
    ),
  tags: (query: paths["/api/v1/tags"]["get"]["parameters"]["query"], signal?: AbortSignal) =>
    answer(client.GET("/api/v1/tags", { params: { query }, signal })),
  write: (code: string, body: EntryInput) =>
    answer(client.POST("/api/v1/units/{code}/entries", { params: { path: { code } }, body })),
  preview: (code: string, body: EntryInput, signal?: AbortSignal) =>
    answer(client.POST("/api/v1/units/{code}/entries/preview", { params: { path: { code } }, body, signal })),
};
