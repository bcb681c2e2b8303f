import {
  entry,
  type Body,
  type Change,
  type KeptBuild,
  type KnownVehicle,
  type Preview,
} from "../api/client";

/** A job that is not open yet, as it is kept on this device. */
export interface Draft {
  words: string;
  volts: number;
  drive: string;
  /** The ready build it is like, where several are of these volts and this drive. */
  like?: string;
  /** The build that the shop kept of another one like it. */
  kept?: KeptBuild;
  /** What somebody looked at, or was told: the component that stands in a slot. */
  has?: Extract<Change, { what: "component" }>[];
  symptoms: { id: string; yes: boolean | null }[];
  risks: { id: string; yes: boolean | null }[];
  id: string;
  begun: number;
  /** Seconds from the first word to the first press. */
  seconds?: number;
  /** A vehicle the shop has seen. */
  from?: KnownVehicle;
  /** Ids of what was sent, by its content: sent again it is the same. */
  ids?: Record<string, string>;
}

/** Where it is kept. */
export const DRAFT = "spannung-intake";
export const fresh = (): Draft => ({
  words: "",
  volts: 0,
  drive: "",
  symptoms: [],
  risks: [],
  id: crypto.randomUUID(),
  begun: Date.now(),
});
export const kept = (): Draft => {
  try {
    const d = JSON.parse(localStorage.getItem(DRAFT) ?? "null") as Draft | null;
    if (d && Date.now() - d.begun < 12 * 3600e3) return d;
  } catch {
    /* a draft that does not read is no draft */
  }
  return fresh();
};

/** What a vehicle without a wiring model is opened as. */
export const OTHER = "other";

/** What the job begins with, each entry with its id: the same when it is sent again. */
export const entriesOf = (
  draft: Draft,
  {
    drive,
    changes,
    heard,
    modelled,
  }: { drive: string; changes: Change[]; heard: Preview["heard"]; modelled: boolean },
) => {
  const bodies: Body[] = [
    {
      kind: "opened",
      words: draft.words.trim(),
      volts_class: draft.volts,
      drive,
      seconds: 0,
      ...(draft.from === undefined ? {} : { from_job: draft.from.job }),
    },
    ...(draft.from === undefined ? [] : vehicleOf(draft.from)),
    ...changes.map((change): Body => ({
      kind: "change",
      change,
      source: change.what === "component" ? "seen" : draft.kept === undefined ? "told" : "guessed",
    })),
    ...(modelled || draft.drive === OTHER
      ? []
      : [{ kind: "note" as const, text: `Drive as it looks: ${draft.drive.replace("-", " ")}` }]),
    ...heard.map<Body>((h) =>
      h.kind === "risk"
        ? { kind: "risk", risk: h.id, yes: h.yes ?? null }
        : { kind: "symptom", symptom: h.id, yes: h.yes ?? null, by_customer: true },
    ),
  ];
  const ids = { ...draft.ids };
  const entries = bodies.map((b) => {
    // how long it took is another each time, and means nothing here
    const what = JSON.stringify(b.kind === "opened" ? { ...b, seconds: 0 } : b);
    const id = (ids[what] ??= crypto.randomUUID());
    return { ...entry(b), id };
  });
  return { ids, entries };
};

/** What a job of a known vehicle begins with: its name, and what is not as drawn on it. */
const vehicleOf = (k: KnownVehicle): Body[] => [
  ...(k.name === ""
    ? []
    : [
        {
          kind: "vehicle" as const,
          name: k.name,
          frame_number: k.frame_number ?? null,
          controller: k.controller ?? null,
        },
      ]),
  // it was looked at when it was here last
  ...k.changes.map<Body>((change) =>
    change.what === "component" ? { kind: "change", change, source: "seen" } : { kind: "change", change },
  ),
  ...(k.customer_id == null ? [] : [{ kind: "customer" as const, customer: k.customer_id }]),
];
