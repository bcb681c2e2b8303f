import createClient from "openapi-fetch";
import type { components, paths } from "./schema";

/** Typed calls; the types come from the server's own description. */
export const api = createClient<paths>({ baseUrl: "/api" });

export type Schemas = components["schemas"];
export type JobView = Schemas["JobView"];
export type Station = NonNullable<NonNullable<paths["/jobs/{id}"]["get"]["parameters"]["query"]>["station"]>;
/** A job of a vehicle with a wiring model: what the Bench needs is there. */
export type Modelled = JobView & { bench: Schemas["Bench"]; map: Schemas["Map"] };
export const isModelled = (job: JobView): job is Modelled => job.bench != null && job.map != null;
export type Bench = Schemas["Bench"];
export type Card = Schemas["Card"];
export type Suspect = Schemas["Suspect"];
export type SegmentShare = Schemas["SegmentShare"];
export type Tile = Schemas["Tile"];
export type IfSo = Schemas["IfSo"];
export type TraceMapData = Schemas["Map"];
export type MapStrand = Schemas["MapStrand"];
export type Ticket = Schemas["Ticket"];
export type Rack = Schemas["Rack"];
export type Preview = Schemas["Preview"];
/** What is known at the intake. */
export type Known = Schemas["Known"];
export type Problem = Schemas["Problem"];
export type Body = Schemas["Body"];
export type Sent = Schemas["Sent"];
export type Change = Schemas["Change"];
export type KnownFrom = Schemas["KnownFrom"];
export type VehicleProfile = Schemas["ProfileView"];
export type Slot = Schemas["SlotView"];
export type Standstill = Schemas["StandstillView"];
export type VehicleState = Schemas["VehicleState"];
export type GateContact = Schemas["GateContact"];
export type Outcome = Schemas["Outcome"];
export type BandView = Schemas["BandView"];
export type FaceView = Schemas["FaceView"];
export type ProofRow = Schemas["ProofRow"];
export type Told = Schemas["Told"];
export type Controls = Schemas["Controls"];
export type BuiltView = Schemas["BuiltView"];
export type OpenItem = Schemas["OpenItem"];
export type PointRow = Schemas["PointRow"];
export type QuoteView = Schemas["QuoteView"];
export type Earlier = Schemas["Earlier"];
export type ReportView = Schemas["ReportView"];
export type Shop = Schemas["Shop"];
export type PersonView = Schemas["PersonView"];
export type Role = Schemas["Role"];
export type ClosedTicket = Schemas["ClosedTicket"];
export type RecheckTicket = Schemas["RecheckTicket"];
export type KnownVehicle = Schemas["KnownVehicle"];
export type Unit = Schemas["Unit"];
export type FamilyChoice = Schemas["FamilyChoice"];
export type KeptBuild = Schemas["BuildView"];
export type PackView = Schemas["PackView"];

/** A refusal of the server, with its sentence. */
export class Refusal extends Error {
  constructor(
    readonly status: number,
    readonly problem: Problem | undefined,
  ) {
    super(problem?.detail ?? "The server does not answer. What you typed is kept; try again.");
  }
  get code(): string {
    return this.problem?.code ?? "unreachable";
  }
}

interface Reply<T> {
  data?: T;
  error?: unknown;
  response: Response;
}

/** Send a file as it is, and read the reply; the server reads and checks what is in it. */
export const sendFile = async <T>(path: string, type: string, body: File | string): Promise<T> => {
  const reply = await fetch(`/api${path}`, {
    method: "POST",
    headers: { "Content-Type": type },
    body,
  }).catch(() => {
    throw new Refusal(0, undefined);
  });
  if (!reply.ok)
    throw new Refusal(reply.status, (await reply.json().catch(() => undefined)) as Problem | undefined);
  return (await reply.json()) as T;
};

/** The data of a reply, or its refusal thrown. */
export async function take<T>(call: Promise<Reply<T>>): Promise<T> {
  let reply: Reply<T>;
  try {
    reply = await call;
  } catch {
    throw new Refusal(0, undefined);
  }
  if (!reply.response.ok) throw new Refusal(reply.response.status, reply.error as Problem | undefined);
  return reply.data as T;
}

/** An entry with an id of its own, so that sending it twice is the same as once. */
export const entry = (body: Body, basedOn?: number): Sent => ({
  id: crypto.randomUUID(),
  body,
  ...(basedOn === undefined ? {} : { based_on: basedOn }),
});
