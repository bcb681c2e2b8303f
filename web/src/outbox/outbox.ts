// Entries and photos on their way to the server. Everything that is written goes through here: written to this
// device first (IndexedDB, on the disk before it counts), then sent, with a time-out; one queue a job, in
// order, so that a job that waits holds no other up. What was not delivered is sent again later; what the
// server refused is told to whoever wrote it.

import { openDB, type DBSchema, type IDBPDatabase } from "idb";
import { shopNow } from "../api/clock";
import { api, Refusal, take, type JobView, type Sent } from "../api/client";

interface Kept {
  /** Order of writing. */
  key?: number;
  job: string;
  /** Words for the person: what it was. */
  words: string;
  /** Who wrote it, by id; nobody else sends it. */
  by: string;
  /** The same, as a name; without it an older page kept this, and `by` is the name. */
  name?: string;
  entries: Sent[];
  /** The picture that the entry names, sent before it; its bytes lie apart and are read when it is its turn. */
  photo?: { id: string; type: string; /** As an older page kept it. */ bytes?: ArrayBuffer };
  /** The server refused it with this sentence; it stays until somebody has read it. */
  refused?: string;
}

interface Schema extends DBSchema {
  kept: { key: number; value: Kept; indexes: { job: string } };
  pictures: { key: string; value: Blob };
}

export interface Waiting {
  key: number;
  job: string;
  words: string;
  by: string;
  name: string;
  refused?: string;
}

interface State {
  waiting: Waiting[];
  /** The server did not answer the last time. */
  away: boolean;
  /** When the last of them went out, for the line that says so. */
  sentAt?: string;
}

/** How long an answer is waited for, ms. */
const PATIENCE = 12_000;
const PICTURE_PATIENCE = 90_000;
/** A page remembers so many entries of its own for what it decides next. */
const REMEMBERED = 60;

let state: State = { waiting: [], away: false };
const listeners = new Set<() => void>();
const set = (change: Partial<State>) => {
  // a page that shows the same is not drawn again
  const none = change.waiting?.length === 0 && state.waiting.length === 0;
  const same = (key: keyof State) => change[key] === state[key] || (key === "waiting" && none);
  if ((Object.keys(change) as (keyof State)[]).every(same)) return;
  state = { ...state, ...change };
  listeners.forEach((l) => {
    l();
  });
};

export const outbox = {
  subscribe: (l: () => void): (() => void) => {
    listeners.add(l);
    return () => listeners.delete(l);
  },
  get: (): State => state,
};

let person = { id: "", name: "" };
/** Who is signed in: kept entries go out under the name of whoever wrote them. */
export const writesAs = (id: string, name: string): void => {
  if (id === person.id) return;
  person = { id, name };
  void flush();
};

/** Is it this person's to send? */
export const isMine = (k: { by: string; name?: string }): boolean =>
  k.name === undefined ? k.by === person.name : k.by === person.id;

let opened: Promise<IDBPDatabase<Schema>> | undefined;
const database = (): Promise<IDBPDatabase<Schema>> =>
  (opened ??= openDB<Schema>("spannung-outbox", 2, {
    upgrade: (db, old, _, tx) => {
      const kept =
        old < 1
          ? db.createObjectStore("kept", { keyPath: "key", autoIncrement: true })
          : tx.objectStore("kept");
      kept.createIndex("job", "job");
      db.createObjectStore("pictures");
    },
  }));

// written down and on its way for the first time: not yet something that waits
const fresh = new Set<number>();

const refresh = async (): Promise<void> => {
  const db = await database();
  const all = await db.getAll("kept");
  set({
    waiting: all
      .filter((k) => k.key !== undefined && !fresh.has(k.key))
      .map(({ key, job, words, by, name, refused }) => ({
        key: key ?? 0,
        job,
        words,
        by,
        name: name ?? by,
        ...(refused === undefined ? {} : { refused }),
      })),
  });
};

/** Write down. `relaxed` outlives the page and the browser, `strict` a loss of power as well. */
const put = async (item: Kept, durability: "relaxed" | "strict", picture?: Blob): Promise<number> => {
  const db = await database();
  const tx = db.transaction(["kept", "pictures"], "readwrite", { durability });
  if (picture && item.photo) await tx.objectStore("pictures").put(picture, item.photo.id);
  const key = await tx.objectStore("kept").put(item);
  await tx.done;
  return key;
};

/** What stays on this device outlives a loss of power before it is said to be kept. */
const secure = async (key: number): Promise<void> => {
  const db = await database();
  const tx = db.transaction("kept", "readwrite", { durability: "strict" });
  const there = await tx.store.get(key);
  // another tab may have sent it meanwhile
  if (there !== undefined) await tx.store.put(there);
  await tx.done;
};

const drop = async (item: Kept): Promise<void> => {
  const db = await database();
  // should it come back after a loss of power, it is sent again, and the server knows it by its id
  const tx = db.transaction(["kept", "pictures"], "readwrite", { durability: "relaxed" });
  if (item.key !== undefined) await tx.objectStore("kept").delete(item.key);
  if (item.photo) await tx.objectStore("pictures").delete(item.photo.id);
  await tx.done;
};

/** Not delivered: no network, no answer in time, or a server or database that is not there just now. */
const notDelivered = (e: unknown): boolean =>
  e instanceof Refusal && [0, 429, 502, 503, 504, 507].includes(e.status);

const deliver = async (item: Kept): Promise<void> => {
  if (item.photo) {
    const { id, type, bytes } = item.photo;
    const picture =
      bytes === undefined ? await (await database()).get("pictures", id) : new Blob([bytes], { type });
    if (picture === undefined) throw new Error("The picture is not on this device any more.");
    await take(
      api.PUT("/jobs/{id}/photos/{photo}", {
        params: { path: { id: item.job, photo: id } },
        body: picture as never,
        bodySerializer: (b) => b as unknown as Blob,
        headers: { "Content-Type": type },
        signal: AbortSignal.timeout(PICTURE_PATIENCE),
      }),
    );
  }
  await take(
    api.POST("/jobs/{id}/entries", {
      params: { path: { id: item.job } },
      body: { entries: item.entries },
      signal: AbortSignal.timeout(PATIENCE),
    }),
  );
};

// entries this page wrote: what is decided next knew of them, whether or not the view shows them yet
const mine = new Map<string, string[]>();
const remember = (job: string, entries: Sent[]): void => {
  const ids = [...(mine.get(job) ?? []), ...entries.map((e) => e.id)];
  mine.set(job, ids.slice(-REMEMBERED));
};

/** What a write came to: the server has it, with its view where that came back as well; or kept here. */
export type Written = { view?: JobView } | { kept: true };

interface Viewer {
  /** Fetch the job as the page shows it just now, and show it. */
  fetch: (job: string, signal: AbortSignal) => Promise<JobView>;
  /** What is shown of it is old, and the new view did not come. */
  stale: (job: string) => void;
}
let viewer: Viewer | undefined;
/** Who shows a job after something of it was stored. */
export const onView = (who: Viewer): void => {
  viewer = who;
};

let ended: (e: Refusal) => void = () => undefined;
/** Who wants to know that what waits cannot go out because the session is over. */
export const onEnded = (f: (e: Refusal) => void): void => {
  ended = f;
};

/** The job as it stands after something was stored. What was stored stays stored, whether or not this comes. */
const look = async (job: string): Promise<JobView | undefined> => {
  try {
    return await viewer?.fetch(job, AbortSignal.timeout(PATIENCE));
  } catch {
    viewer?.stale(job);
    return undefined;
  }
};

interface Waiter {
  sent: () => void;
  refused: (e: unknown) => void;
}
const waiters = new Map<number, Waiter>();

const drain = async (job: string): Promise<void> => {
  const db = await database();
  for (const item of await db.getAllFromIndex("kept", "job", job)) {
    const key = item.key;
    if (item.refused !== undefined || key === undefined || !isMine(item)) continue;
    try {
      await deliver(item);
      set({ away: false });
      // it goes first, so that whoever looks next does not find it waiting; nobody waits until it is gone
      const gone = drop(item);
      waiters.get(key)?.sent();
      await gone;
    } catch (e) {
      if (notDelivered(e)) {
        set({ away: true });
        break;
      }
      // signed out: it waits for the next sign-in
      if (e instanceof Refusal && e.status === 401) {
        ended(e);
        break;
      }
      const waiter = waiters.get(key);
      if (waiter) {
        // whoever wrote it is still there, with the words in the field: told at once, and not kept twice
        await drop(item);
        waiter.refused(e);
      } else await put({ ...item, refused: e instanceof Error ? e.message : String(e) }, "strict");
    }
  }
};

const queues = new Map<string, Promise<void>>();
/** Send what waits for a job, in order; one after the other, in one tab at a time. */
const send = (job: string): Promise<void> => {
  const before = queues.get(job) ?? Promise.resolve();
  const run = before.then(async () => {
    if ("locks" in navigator) await navigator.locks.request(`spannung-outbox-${job}`, () => drain(job));
    else await drain(job);
  });
  const quiet = run.catch(() => undefined);
  queues.set(job, quiet);
  return run;
};

const writing = new Map<string, number>();
/** Is something of this job on its way from this page just now? The view that comes after it shows what others wrote, too. */
export const isWriting = (job: string): boolean => (writing.get(job) ?? 0) > 0;

type Given = Pick<Kept, "job" | "words" | "entries" | "photo">;

const writeOne = async (given: Given, picture?: Blob): Promise<Written> => {
  const item: Kept = {
    ...given,
    entries: given.entries.map((e) =>
      e.based_on === undefined ? e : { ...e, knows: mine.get(given.job) ?? [] },
    ),
    by: person.id,
    name: person.name,
  };
  remember(item.job, item.entries);
  // the server's own disk is what counts when it answers; only what stays here has to be on this one
  const key = await put(item, "relaxed", picture);
  fresh.add(key);
  const behind = state.waiting.some((w) => w.job === item.job && w.by === item.by && w.refused === undefined);
  let sent = false;
  const answered = new Promise<void>((resolve, reject) => {
    waiters.set(key, {
      sent: () => {
        sent = true;
        resolve();
      },
      refused: reject,
    });
  });
  // it may be refused after nobody waits for it any more
  answered.catch(() => undefined);
  try {
    const run = send(item.job);
    // while the server is away nobody waits for it
    if (!(behind && state.away)) await Promise.race([run, answered]);
    if (!sent) await Promise.race([answered, Promise.resolve()]);
  } finally {
    waiters.delete(key);
    fresh.delete(key);
    void refresh();
  }
  if (!sent) {
    await secure(key);
    await refresh();
    set({ away: true });
    return { kept: true };
  }
  return { view: await look(item.job) };
};

/** Write entries of one job. Behind others of it that wait, they wait as well: the order holds. */
export const write = async (given: Given, picture?: Blob): Promise<Written> => {
  const { job } = given;
  writing.set(job, (writing.get(job) ?? 0) + 1);
  try {
    return await writeOne(given, picture);
  } catch (e) {
    // news that came meanwhile were left to the view that does not come now
    viewer?.stale(job);
    throw e;
  } finally {
    writing.set(job, (writing.get(job) ?? 1) - 1);
  }
};

/** Send what waits, job by job. */
export const flush = async (): Promise<void> => {
  const db = await database();
  const all = await db.getAll("kept");
  const jobs = new Set(
    all.filter((k) => k.refused === undefined && isMine(k) && !fresh.has(k.key ?? 0)).map((k) => k.job),
  );
  if (jobs.size === 0) {
    await refresh();
    return;
  }
  await Promise.all(
    [...jobs].map(async (job) => {
      await send(job).catch(() => undefined);
      const left = await db.countFromIndex("kept", "job", job);
      if (left === 0) await look(job);
    }),
  );
  const had = state.waiting.length > 0;
  await refresh();
  if (had && state.waiting.length === 0) {
    const at = shopNow();
    set({ sentAt: at });
    setTimeout(() => {
      if (state.sentAt === at) set({ sentAt: undefined });
    }, 4000);
  }
};

/** Take a refused one away, once it was read. */
export const forget = async (key: number): Promise<void> => {
  const db = await database();
  const item = await db.get("kept", key);
  if (item) await drop(item);
  await refresh();
};

/** Begin: what waited from before goes out, and is tried again while the server is away. */
export const start = (): void => {
  void refresh().then(flush);
  window.addEventListener("online", () => void flush());
  setInterval(() => {
    if (state.waiting.some((w) => w.refused === undefined)) void flush();
  }, 2500);
};
