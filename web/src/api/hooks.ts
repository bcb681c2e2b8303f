import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useEffect, useRef } from "react";
import { flush, isWriting, onView, write, type Written } from "../outbox/outbox";
import { keepClock, shopNow } from "./clock";
import { setHabits } from "../ui/format";
import { useSettled } from "../ui/useSettled";
import {
  api,
  entry,
  take,
  type Body,
  type Change,
  type JobView,
  type Known,
  type KnownFrom,
  type Station,
} from "./client";
import { follow } from "./live";

export const useMe = () =>
  useQuery({ queryKey: ["me"], queryFn: () => take(api.GET("/session")), retry: false, staleTime: 60_000 });

export const useChoices = () =>
  useQuery({ queryKey: ["choices"], queryFn: () => take(api.GET("/catalogue")), staleTime: Infinity });

export const useShop = () =>
  useQuery({
    queryKey: ["shop"],
    staleTime: 300_000,
    queryFn: async () => {
      const shop = await take(api.GET("/shop"));
      setHabits({
        currency: shop.terms.currency,
        zone: shop.time_zone,
        imperial: shop.units === "imperial",
      });
      return shop;
    },
  });

export const usePeople = () => useQuery({ queryKey: ["people"], queryFn: () => take(api.GET("/people")) });

/** Where the person stands: what only another station shows is not fetched. */
let standing: Station = "other";

const jobAt = (id: string, station: Station, signal?: AbortSignal) =>
  take(api.GET("/jobs/{id}", { params: { path: { id }, query: { station } }, signal: signal ?? null }));

/** A job as a station shows it. On the way from one station to another the job's line stays as it was. */
export const useJob = (id: string, station: Station = "other") => {
  useEffect(() => {
    standing = station;
  }, [station]);
  const client = useQueryClient();
  return useQuery({
    queryKey: ["job", id, station],
    queryFn: () => jobAt(id, station),
    placeholderData: () => {
      const known = client.getQueriesData<JobView>({ queryKey: ["job", id] });
      return known.flatMap(([, view]) => (view ? [view] : [])).sort((a, b) => b.head - a.head)[0];
    },
  });
};

export const useRack = (find: string) =>
  useQuery({
    queryKey: ["rack", find],
    queryFn: () => take(api.GET("/rack", { params: { query: { find } } })),
    // tickets that are still being worked out come in as they are ready
    refetchInterval: (query) => ((query.state.data?.behind ?? 0) > 0 ? 1500 : 30_000),
    placeholderData: (old) => old,
  });

export const useVehicles = (find: string) =>
  useQuery({
    queryKey: ["vehicles", find],
    enabled: find.trim().length >= 2,
    queryFn: () => take(api.GET("/vehicles", { params: { query: { find } } })),
    placeholderData: (old) => old,
  });

export const useSheets = (find: string) =>
  useQuery({
    queryKey: ["sheets", find],
    queryFn: () => take(api.GET("/sheets", { params: { query: { find } } })),
  });

export const KEPT_BUILDS = ["builds"];
/** Builds that the shop has kept under a name, of these volts and this drive. */
export const useKeptBuilds = (volts: number, drive: string) =>
  useQuery({
    queryKey: KEPT_BUILDS,
    queryFn: () => take(api.GET("/builds")),
    select: (all) => all.filter((b) => b.volts_class === volts && b.drive === drive),
  });

export const useCard = (id: string, test: string | undefined, head: number) =>
  useQuery({
    queryKey: ["card", id, test, head],
    enabled: test !== undefined,
    queryFn: () => take(api.GET("/jobs/{id}/tests/{test}", { params: { path: { id, test: test ?? "" } } })),
    placeholderData: (old) => old,
  });

/** What the rest of the job will take; it comes after the suspects and never holds them up. */
export const useForecast = (job: JobView) => {
  // it keeps the server's cores busy: not after every press while one follows the other
  const head = useSettled(job.head, 3500);
  return useQuery({
    queryKey: ["forecast", job.id, head],
    enabled: job.bench != null && job.closed == null && head === job.head,
    staleTime: Infinity,
    queryFn: ({ signal }) =>
      take(api.GET("/jobs/{id}/forecast", { params: { path: { id: job.id } }, signal })),
  });
};

/** How the job would stand if its vehicle were changed so; asked again when something was written. */
export const useIfSo = (job: JobView, change: Change | undefined, source: KnownFrom, strand: string) =>
  useQuery({
    queryKey: ["if-so", job.id, job.head, strand, JSON.stringify(change)],
    enabled: change !== undefined,
    staleTime: Infinity,
    retry: false,
    queryFn: () => {
      const body: Body | undefined = change && { kind: "change", change, source };
      if (body === undefined) throw new Error("Nothing is tried.");
      return take(
        api.POST("/jobs/{id}/if-so", {
          params: { path: { id: job.id } },
          body: { entry: entry(body, job.head), strand },
        }),
      );
    },
  });

/** Nothing waits for it, and nothing is said when it fails: what is pressed then only takes a moment longer. */
const ahead = (asked: Promise<unknown>) => {
  asked.catch(() => undefined);
};

/** Somebody looks at what fits in a slot: the server may work out ahead what is pressed next. */
export const lookAhead = (job: JobView, slot: string): void => {
  ahead(api.POST("/jobs/{id}/ahead", { params: { path: { id: job.id } }, body: { slot } }));
};

/** The same before there is a job. */
export const lookAheadAtIntake = (known: Known, slot: string): void => {
  ahead(api.POST("/intake/ahead", { body: { known, slot } }));
};

export const useProfile = (job: JobView | undefined) =>
  useQuery({
    queryKey: ["profile", job?.id, job?.head],
    enabled: job !== undefined,
    staleTime: Infinity,
    placeholderData: (before) => before,
    queryFn: () => take(api.GET("/jobs/{id}/profile", { params: { path: { id: job?.id ?? "" } } })),
  });

export const useRecord = (id: string) =>
  useQuery({
    queryKey: ["record", id],
    queryFn: () => take(api.GET("/jobs/{id}/record", { params: { path: { id } } })),
  });

export const useReport = (id: string) =>
  useQuery({
    queryKey: ["report", id],
    queryFn: () => take(api.GET("/jobs/{id}/report", { params: { path: { id } } })),
  });

/** A word or two for what waits, as the person would say it. */
const wordsOf = (bodies: Body[]): string => {
  const b = bodies[bodies.length - 1];
  if (b?.kind === "reading") return `Reading ${b.typed || b.result}`;
  if (b?.kind === "point-reading") return `${b.point}: ${b.typed || b.result}`;
  if (b?.kind === "note") return `Note: ${b.text}`;
  if (b?.kind === "part") return `Part: ${b.new ?? b.old ?? ""}`;
  if (b?.kind === "photo") return `Photo ${b.caption ?? ""}`;
  return (b?.kind ?? "").replaceAll("-", " ");
};

// the last thing that was written, for a press that comes twice
let last = { what: "", at: -Infinity, came: undefined as Promise<Written> | undefined };
const TWICE_MS = 400;
// whoever types between two presses means both
window.addEventListener("input", () => (last = { ...last, came: undefined }), true);

/** Append entries to a job. What was decided on goes along, so that newer entries are not overrun. Without
 * the server they are kept on this device, and the answer says so. The same again within the time of a
 * double press is the same. */
export function useAppend(job: JobView | undefined) {
  return useMutation({
    networkMode: "always",
    mutationFn: (bodies: Body[]): Promise<Written> => {
      const what = JSON.stringify([job?.id, bodies]);
      const now = performance.now();
      if (last.came !== undefined && last.what === what && now - last.at < TWICE_MS) return last.came;
      const came = write({
        job: job?.id ?? "",
        words: wordsOf(bodies),
        entries: bodies.map((b) => ({ ...entry(b, job?.head), at: shopNow() })),
      });
      last = { what, at: now, came };
      return came;
    },
  });
}

/** Add a photo: the picture first, then the entry that names it. */
export function useAddPhoto(job: JobView) {
  return useMutation({
    networkMode: "always",
    mutationFn: ({ file, caption, of }: { file: File; caption: string; of?: string }): Promise<Written> => {
      const photo = crypto.randomUUID();
      const body: Body = { kind: "photo", photo, caption, of: of ?? null };
      return write(
        {
          job: job.id,
          words: wordsOf([body]),
          entries: [{ ...entry(body, job.head), at: shopNow() }],
          photo: { id: photo, type: file.type || "image/jpeg" },
        },
        file,
      );
    },
  });
}

/** Every view that comes back, at once or later, is what the page shows. */
export function useViews(): void {
  const client = useQueryClient();
  useEffect(() => {
    onView({
      fetch: async (id, signal) => {
        const station = standing;
        const view = await jobAt(id, station, signal);
        // what other stations know of it is old now
        void client.invalidateQueries({ queryKey: ["job", id], refetchType: "none" });
        client.setQueryData<JobView>(["job", id, station], (old) =>
          old && old.head > view.head ? old : view,
        );
        for (const key of ["record", "report"]) void client.invalidateQueries({ queryKey: [key, id] });
        void client.invalidateQueries({ queryKey: ["rack"] });
        return view;
      },
      stale: (id) => {
        void client.invalidateQueries({ queryKey: ["job", id] });
      },
    });
  }, [client]);
}

/** Keep the shop's clock, and follow a job: what others write to it shows at once. */
export function useLive(job: JobView | undefined): void {
  const client = useQueryClient();
  const id = job?.id;
  const now = job?.now;
  const head = useRef(0);
  head.current = job?.head ?? 0;
  // heard of while an entry of this page was on its way: its own, most likely, whose view comes by itself
  const heard = useRef(0);
  useEffect(() => {
    if (now !== undefined) keepClock(now);
  }, [now]);
  useEffect(() => {
    if (id === undefined) return undefined;
    heard.current = 0;
    return follow((news) => {
      void flush();
      if (news !== "look" && news.job !== id) return;
      if (news !== "look" && isWriting(id)) {
        heard.current = Math.max(heard.current, news.head);
        return;
      }
      if (news === "look" || news.head > head.current) {
        for (const key of ["job", "record", "report"]) void client.invalidateQueries({ queryKey: [key, id] });
        void client.invalidateQueries({ queryKey: ["card", id] });
      }
    });
  }, [id, client]);
  const shown = job?.head ?? 0;
  useEffect(() => {
    // somebody else's came after what the view holds
    if (heard.current > shown) void client.invalidateQueries({ queryKey: ["job", id] });
    heard.current = 0;
  }, [shown, id, client]);
}
