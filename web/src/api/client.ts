import createClient from "openapi-fetch";
import type { components, paths } from "./schema";

type Schemas = components["schemas"];
export type Lineup = Schemas["Lineup"];
export type Entry = Schemas["LineupEntry"];
export type LeftOut = Schemas["LineupLeftOut"];
export type Taken = Schemas["LineupTaken"];
export type Why = Schemas["LineupWhy"];
export type GrantWhy = Schemas["LineupGrantWhy"];
export type PathWhy = Schemas["LineupPathWhy"];
export type Condition = Schemas["LineupCondition"];
export type Query = Schemas["LineupQuery"];
export type Queue = Schemas["Queue"];
export type Endpoint = Schemas["Endpoint"];
export type EndpointRow = Schemas["FleetRow"];
export type Difference = Schemas["EndpointDifference"];
export type Overview = Schemas["Overview"];
export type Finding = Schemas["LineupFinding"];
export type Event = Schemas["Event"];
export type Subject = Schemas["EndpointSubject"];
export type TestPage = Schemas["TestPage"];
export type Draft = Schemas["Draft"];
export type Diff = Schemas["EstateDiff"];
export type Edit = Schemas["EstateEdit"];
export type Ref = Schemas["EstateRef"];
export type Grant = Schemas["EstateGrant"];
export type EstateQueue = Schemas["EstateQueue"];
export type Document = Schemas["EstateDocument"];
export type Revision = Schemas["EstateRevision"];
export type Reach = Schemas["LineupReach"];
export type Rehearsal = Schemas["Rehearsal"];
export type RehearsalLine = Schemas["RehearsalLine"];
export type Rehearse = Schemas["Rehearse"];
export type Me = Schemas["Me"];
export type Role = Exclude<NonNullable<Schemas["AccessHolding"]["role"]>, "agent">;
export type Moment = Schemas["Moment"];
export type AgentSettings = Schemas["EstateAgentSettings"];
export type FoundOne = Schemas["FoundOne"];
export type ServerView = Schemas["StockServerView"];
export type ServerSheetData = Schemas["StockServerSheet"];
export type Added = Schemas["EndpointAdded"];
export type Listing = Schemas["AdvertListing"];
export type FoundQueue = Schemas["StockQueueView"];
export type DeviceView = Schemas["StockDeviceView"];
export type Move = Schemas["ContinuityMove"];
export type HealthView = Schemas["ContinuityHealthView"];
export type SetView = Schemas["StockSetView"];
export type Checkup = Schemas["EndpointCheckup"];
export type Proof = Schemas["EndpointProof"];
export type ProofRow = Schemas["EndpointProofRow"];
export type DriverHere = Schemas["EndpointDriverHere"];
export type FailoverTest = Schemas["ContinuityFailoverTest"];
export type Fault = Schemas["NoticeFault"];
export type SentNotice = Schemas["NoticeSent"];
export type NoticeView = Schemas["NoticeView"];
export type EstateNotice = Schemas["EstateNotice"];
export type SnapshotCompared = Schemas["SnapshotCompared"];
export type WaitingJobs = Schemas["StockWaiting"];
export type Fleet = Schemas["EndpointFleet"];
export type Sample = Schemas["EndpointSample"];
export type Check = Schemas["StockCheck"];
export type StockDifference = Schemas["StockDifference"];
export type Unlisted = Schemas["StockUnlisted"];
export type Capture = Schemas["StockCapture"];
export type Scan = Schemas["StockScan"];
export type ScanPlan = Schemas["ScanPlan"];
export type Proposal = Schemas["AdoptProposal"];
export type Selection = Schemas["Selection"];
export type NewWatch = Schemas["NewWatch"];
export type KeptSummary = Schemas["ServerSummary"];
export type KeptRow = Schemas["ServerRow"];
export type Moved = Schemas["DecommissionMoved"];
export type WaitingJob = Schemas["StockWaitingJob"];
export type MatrixRow = Schemas["StockMatrixRow"];
export type Leaving = Schemas["DecommissionLeaving"];
export type Pair = Schemas["StockPair"];
export type StockJob = Schemas["StockJob"];
export type TestSheet = Schemas["StockTestSheet"];
export type TestLine = Schemas["TestLine"];
export type NewTest = Schemas["NewTest"];
export type Credential = Schemas["StockCredential"];
export type NewCredential = Schemas["NewCredential"];
export type DirectoryRun = Schemas["DirectoryRun"];
export type SourceView = Schemas["DirectorySourceView"];
export type NewSource = Schemas["NewSource"];
export type RenameProposal = Schemas["DirectoryProposal"];
export type DriverPackage = Schemas["DriverPackage"];
export type DriverPlace = Schemas["DriverPlaceView"];
export type PlaceOffers = Schemas["PlaceOffers"];
export type DriverFetch = Schemas["DriverFetch"];
export type DriverChoice = Schemas["DriverChoice"];
export type DriverReport = Schemas["DriverReport"];
export type EstateDriver = Schemas["EstateDriver"];
export type EstateDevice = Schemas["EstateDevice"];
export type Signal = Schemas["Signal"];
export type Problem = Schemas["Problem"];

/** A problem that the service reported, or that it did not answer at all. */
export class ProblemError extends Error {
  constructor(readonly problem: Pick<Problem, "code" | "detail" | "status"> & Partial<Problem>) {
    super(problem.detail);
    this.name = "ProblemError";
  }
}

export const api = createClient<paths>({ baseUrl: "/" });

// What the console asks by itself keeps no session open: the service is told for how long nobody has touched it.
let touched = Date.now();
for (const kind of ["pointerdown", "keydown", "wheel"])
  window.addEventListener(kind, () => (touched = Date.now()), { capture: true, passive: true });
api.use({
  onRequest({ request }) {
    request.headers.set("Cirque-Idle", String(Math.floor((Date.now() - touched) / 1000)));
    return request;
  },
});

type Answer<T> = { data?: T; error?: Partial<Problem> | undefined; response: Response };

/** Gives the data of an answer, or throws its problem. */
export async function ask<T>(call: Promise<Answer<T>>): Promise<T> {
  let answer: Answer<T>;
  try {
    answer = await call;
  } catch (e) {
    if (e instanceof DOMException && e.name === "AbortError") throw e;
    throw new ProblemError({
      code: "service-unreachable",
      status: 0,
      detail: "The service does not answer",
      fix: "check that it runs, and the network",
    });
  }
  if (!answer.response.ok) {
    const p = answer.error;
    throw new ProblemError({
      code: "answer-unreadable",
      status: answer.response.status,
      detail: `The service answers ${answer.response.status}`,
      ...p,
    });
  }
  return answer.data as T;
}

/** A part of a list, as the service cuts it: next is what to give as after to have more. */
export type Page<T> = { items: T[]; next: string; total: number };

/** Gives all of a list, page by page: for lists that are looked at whole. */
export async function askAll<T>(
  page: (query: { limit: number; after: string }) => Promise<Answer<Page<T>>>,
): Promise<T[]> {
  const out: T[] = [];
  for (let after = ""; ;) {
    const one = await ask(page({ limit: 1000, after }));
    out.push(...one.items);
    if (!(after = one.next)) return out;
  }
}

/** A problem worth another try: one that time may mend. */
export function isRetryable(e: unknown): boolean {
  return e instanceof ProblemError && (e.problem.status === 0 || e.problem.status >= 500);
}
