// News from the server, over one stream that all tabs of this browser share: one tab listens and tells the
// others, so that no number of tabs uses up the connections. A beat comes every few seconds; when it stays
// away the stream is made anew, and everybody looks what has happened meanwhile.

/** A job and its newest sequence, or `look`: something may have been missed. */
export type News = { job: string; head: number } | "look";

const BEAT_MS = 25_000;
const told = new Set<(news: News) => void>();
const channel = "BroadcastChannel" in window ? new BroadcastChannel("spannung-news") : undefined;

const tell = (news: News): void => {
  told.forEach((f) => {
    f(news);
  });
};
channel?.addEventListener("message", (e: MessageEvent<News>) => {
  tell(e.data);
});

let source: EventSource | undefined;
let heard = 0;

const listen = (): void => {
  source?.close();
  heard = Date.now();
  source = new EventSource("/api/events");
  source.addEventListener("head", (e: MessageEvent<string>) => {
    heard = Date.now();
    const [job = "", head = ""] = e.data.split(" ");
    const news: News = job === "look" ? "look" : { job, head: Number(head) };
    tell(news);
    channel?.postMessage(news);
  });
  source.addEventListener("beat", () => {
    heard = Date.now();
  });
};

let started = false;
/** Listen in one tab of this browser; another takes over when that one is closed. */
const start = (): void => {
  if (started) return;
  started = true;
  const lead = () =>
    new Promise<void>(() => {
      listen();
      setInterval(() => {
        // the browser makes a closed stream anew by itself, but not one that was cut without a word
        if (Date.now() - heard > BEAT_MS) listen();
      }, 5000);
      window.addEventListener("online", listen);
    });
  if ("locks" in navigator) void navigator.locks.request("spannung-news", lead);
  else void lead();
};

/** Be told of what happens to any job, until the returned function is called. */
export const follow = (f: (news: News) => void): (() => void) => {
  start();
  told.add(f);
  return () => told.delete(f);
};
