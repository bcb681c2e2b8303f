// Entries and photos that wait on this device until the server has them. Everything that is written goes
// through here: sent at once while the server answers, kept otherwise, and sent later once and in order.
// Kept in IndexedDB, written to the disk before it counts as kept, so that it survives a reload.

import { openDB, type DBSchema, type IDBPDatabase } from "idb";
import { shopNow } from "../api/clock";
import { api, Refusal, take, type JobView, type Sent } from "../api/client";

interface Kept {
  /** Order of writing. */
  key?: number;
  job: string;
  /** Words for the person: what it was. */
  words: string;
  /** Who wrote it; nobody else sends it. */
  by: string;
  entries: Sent[];
  /** The picture that the entry names, sent before it. */
  photo?: { id: string; bytes: ArrayBuffer; type: string };
  /** The server refused it with this sentence; it stays until somebody has read it. */
  refused?: string;
}

interface Schema extends DBSchema {
  kept: { key: number; value: Kept };
}

export interface Waiting {
  key: number;
  job: string;
  words: string;
  by: string;
  refused?: string;
}

interface State {
  waiting: Waiting[];
  /** The server did not answer the last time. */
  away: boolean;
  /** When the last of them went out, for the line that says so. */
  sentAt?: string;
}

let state: State = { waiting: [], away: false };
const listeners = new Set<() => void>();
const set = (change: Partial<State>) => {
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

let person = "";
/** Who is signed in: kept entries go out under the name of whoever wrote them. */
export const writesAs = (name: string): void => {
  if (name === person) return;
  person = name;
  void flush();
};

let opened: Promise<IDBPDatabase<Schema>> | undefined;
const database = (): Promise<IDBPDatabase<Schema>> =>
  (opened ??= openDB<Schema>("spannung-outbox", 1, {
    upgrade: (db) => {
      db.createObjectStore("kept", { keyPath: "key", autoIncrement: true });
    },
  }));

const refresh = async (): Promise<void> => {
  const db = await database();
  const all = await db.getAll("kept");
  set({
    waiting: all.map(({ key, job, words, by, refused }) => ({
      key: key ?? 0,
      job,
      words,
      by,
      ...(refused === undefined ? {} : { refused }),
    })),
  });
};

const put = async (item: Kept): Promise<void> => {
  const db = await database();
  const tx = db.transaction("kept", "readwrite", { durability: "strict" });
  await tx.store.put(item);
  await tx.done;
};

const drop = async (key: number): Promise<void> => {
  const db = await database();
  const tx = db.transaction("kept", "readwrite", { durability: "strict" });
  await tx.store.delete(key);
  await tx.done;
};

/** Not delivered: no network, or a server or database that does not answer. */
const notDelivered = (e: unknown): boolean =>
  e instanceof Refusal && (e.status === 0 || e.status === 502 || e.status === 503 || e.status === 504);

const deliver = async (item: Kept): Promise<JobView> => {
  if (item.photo) {
    const { id, bytes, type } = item.photo;
    await take(
      api.PUT("/jobs/{id}/photos/{photo}", {
        params: { path: { id: item.job, photo: id } },
        body: bytes as never,
        bodySerializer: (b) => new Blob([b as unknown as ArrayBuffer], { type }),
        headers: { "Content-Type": type },
      }),
    );
  }
  return take(
    api.POST("/jobs/{id}/entries", {
      params: { path: { id: item.job } },
      body: { entries: item.entries },
    }),
  );
};

/** What a write came to: the server's new view, or kept on this device. */
export type Written = { view: JobView } | { kept: true };

let seen: (view: JobView) => void = () => undefined;
/** Who wants every view that comes back, whenever it does. */
export const onView = (f: (view: JobView) => void): void => {
  seen = f;
};

let ended: (e: Refusal) => void = () => undefined;
/** Who wants to know that what waits cannot go out because the session is over. */
export const onEnded = (f: (e: Refusal) => void): void => {
  ended = f;
};

/** Write entries of one job. Behind others that wait, they wait as well: the order holds. */
export const write = async (given: Omit<Kept, "key" | "refused" | "by">): Promise<Written> => {
  const item: Kept = { ...given, by: person };
  const before = state.waiting.some((w) => w.job === item.job && w.by === item.by && w.refused === undefined);
  if (!before) {
    try {
      const view = await deliver(item);
      if (state.away) set({ away: false });
      seen(view);
      return { view };
    } catch (e) {
      if (!notDelivered(e)) throw e;
    }
  }
  await put(item);
  set({ away: true });
  await refresh();
  void flush();
  return { kept: true };
};

let flushing = false;
/** Send what waits, in order. Stops at the first that is not delivered; one that is refused is marked and
 * the rest goes on. Only one tab sends at a time; sending twice would store once. */
export const flush = async (): Promise<void> => {
  if (flushing) return;
  flushing = true;
  const run = async () => {
    const db = await database();
    for (const item of await db.getAll("kept")) {
      if (item.refused !== undefined || item.key === undefined || item.by !== person) continue;
      try {
        const view = await deliver(item);
        await drop(item.key);
        seen(view);
        set({ away: false });
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
        await put({ ...item, refused: e instanceof Error ? e.message : String(e) });
      }
    }
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
  try {
    if ("locks" in navigator) await navigator.locks.request("spannung-outbox", run);
    else await run();
  } finally {
    flushing = false;
  }
};

/** Take a refused one away, once it was read. */
export const forget = async (key: number): Promise<void> => {
  await drop(key);
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
