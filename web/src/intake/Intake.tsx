import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import { useMutation, useQuery } from "@tanstack/react-query";
import { useEffect, useState } from "react";
import { useNavigate, useSearchParams } from "react-router";
import {
  api,
  entry,
  Refusal,
  take,
  type Body,
  type Change,
  type KeptBuild,
  type KnownVehicle,
  type Preview,
} from "../api/client";
import { useChoices, useKeptBuilds, useVehicles } from "../api/hooks";
import { Signs } from "./Signs";
import { Words } from "./Words";
import { Suspects } from "../bench/Suspects";
import { Has } from "../has/Has";
import { JobLine } from "../frame/JobLine";
import { v } from "../theme/tokens";
import { TraceMap } from "../trace/TraceMap";
import { Choice } from "../ui/Choice";
import { day, number4 } from "../ui/format";
import { useCommands } from "../ui/commands";
import { command } from "../ui/keys";
import { useSettled } from "../ui/useSettled";
import { ErrorLine, Key, KeyedCard } from "../ui/parts";
import { Select } from "../ui/form";

interface Draft {
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

const DRAFT = "spannung-intake";
const fresh = (): Draft => ({
  words: "",
  volts: 0,
  drive: "",
  symptoms: [],
  risks: [],
  id: crypto.randomUUID(),
  begun: Date.now(),
});
const kept = (): Draft => {
  try {
    const d = JSON.parse(localStorage.getItem(DRAFT) ?? "null") as Draft | null;
    if (d && Date.now() - d.begun < 12 * 3600e3) return d;
  } catch {
    /* a draft that does not read is no draft */
  }
  return fresh();
};

const VOLTS = [6, 12, 24, 36, 48, 60, 72];
/** What a vehicle without a wiring model is opened as. */
const OTHER = "other";
const DRIVES: [string, string][] = [
  ["geared-hub", "geared hub"],
  ["direct-hub", "direct hub"],
  ["mid", "mid motor"],
  ["chain", "chain, belt"],
  ["brushed", "brushed toy"],
  [OTHER, "other kind"],
];

/** New job: the customer's words, voltage and drive are enough for first suspects and the first check. */
export const IntakeNew = () => {
  const [draft, setDraft] = useState<Draft>(kept);
  const [now, setNow] = useState(() => Date.now());
  const go = useNavigate();
  const choices = useChoices();
  const set = (change: Partial<Draft>) => {
    setDraft((d) => ({ ...d, ...change }));
  };
  // a vehicle that comes back begins with what is known of it
  const [params, setParams] = useSearchParams();
  const from = params.get("from");
  const back = useQuery({
    queryKey: ["vehicles", "job", from],
    enabled: from !== null,
    queryFn: () => take(api.GET("/vehicles", { params: { query: { job: from } } })),
  });
  const left = back.data?.[0];
  useEffect(() => {
    if (left === undefined || from === null) return;
    setDraft((d) => ({ ...d, from: left, volts: left.volts_class, drive: left.drive }));
    setParams({}, { replace: true });
  }, [left, from, setParams]);
  useEffect(() => {
    localStorage.setItem(DRAFT, JSON.stringify(draft));
  }, [draft]);
  useEffect(() => {
    const t = setInterval(() => {
      setNow(Date.now());
    }, 1000);
    return () => {
      clearInterval(t);
    };
  }, []);
  const like = (choices.data?.families ?? []).filter(
    (f) => f.volts_class === draft.volts && f.drive === draft.drive,
  );
  // a kept build begins as another ready build when it was one
  const kind = draft.kept?.changes.find((c) => c.what === "kind")?.family;
  const family = like.find((f) => f.id === (draft.kept ? kind : draft.like)) ?? like[0];
  const has = draft.has ?? [];
  const builds = useKeptBuilds(draft.volts, draft.drive).data ?? [];
  const begins: Change[] =
    draft.kept?.changes ??
    (family === undefined || family === like[0] ? [] : [{ what: "kind", family: family.id }]);
  const changes: Change[] = family === undefined ? [] : [...begins, ...has];
  const words = useSettled(draft.words, 250);
  const chosen = draft.volts > 0 && draft.drive !== "";
  const drive = family ? draft.drive : OTHER;
  const ready = words.trim().length > 2 && chosen;
  const known = {
    words,
    volts_class: draft.volts,
    drive,
    symptoms: draft.symptoms,
    risks: draft.risks,
    changes,
  };
  const preview = useQuery({
    queryKey: ["intake", known],
    enabled: ready,
    queryFn: () => take(api.POST("/intake", { body: known })),
    placeholderData: (old: Preview | undefined) => old,
  });
  const p = ready ? preview.data : undefined;
  // what was taken away is gone, and is not written
  const heard = (p?.heard ?? []).filter((h) => h.yes != null);
  const answer = (id: string, yes: boolean | null, kind: "symptoms" | "risks" = "symptoms") => {
    set({ [kind]: [...draft[kind].filter((s) => s.id !== id), { id, yes }] } as Partial<Draft>);
  };
  const seconds = Math.max(0, Math.floor((now - draft.begun) / 1000));
  const open = useMutation({
    mutationFn: async (to: "gate" | "vehicle") => {
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
        ...(family || draft.drive === OTHER
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
      const opened = entries[0];
      if (opened?.body.kind === "opened") opened.body.seconds = draft.seconds ?? seconds;
      set({ ids, seconds: draft.seconds ?? seconds });
      const job = await take(api.POST("/jobs", { body: { id: draft.id, entries } }));
      return { job, to };
    },
    onSuccess: ({ job, to }) => {
      localStorage.removeItem(DRAFT);
      void go(`/jobs/${job.id}/${to}`);
    },
    onError: (e) => {
      // the reply of an earlier press was lost, and something was typed since: the job is there
      if (e instanceof Refusal && (e.code === "already-open" || e.code === "id-used")) {
        localStorage.removeItem(DRAFT);
        void go(`/jobs/${draft.id}/gate`);
      }
    },
  });
  const canOpen = ready && p !== undefined && !open.isPending;
  const question = p?.question ?? undefined;
  const say = (yes: boolean | null) =>
    question &&
    (() => {
      answer(question.symptom, yes);
    });
  useCommands([
    command("intake.yes", say(true)),
    command("intake.no", say(false)),
    command("intake.unknown", say(null)),
    command(
      "intake.open",
      canOpen
        ? () => {
            open.mutate("gate");
          }
        : undefined,
    ),
  ]);
  return (
    <Box
      sx={{
        minHeight: "100vh",
        display: "flex",
        flexDirection: "column",
      }}
    >
      <JobLine here="intake" />
      <Box
        sx={{
          display: "flex",
          borderBottom: `1.5px solid ${v("ink")}`,
          minHeight: 132,
          flex: "none",
          // a tablet upright: the words get a row of their own
          "@media (max-width: 1100px)": { flexWrap: "wrap", "& > :first-of-type": { flexBasis: "100%" } },
        }}
      >
        <Box sx={{ flex: 1, minWidth: 0, p: 2, py: 0.8 }}>
          <Box component="label" htmlFor="words" sx={{ fontSize: 15, color: v("ink2"), display: "block" }}>
            In the customer’s words
          </Box>
          <Words
            words={draft.words}
            heard={draft.words === words ? heard : []}
            onWords={(typed) => {
              set({ words: typed });
            }}
          />
        </Box>
        <Box sx={{ p: 2, py: 0.8, borderLeft: `1px solid ${v("ruleStrong")}` }}>
          <Box sx={{ fontSize: 15, color: v("ink2"), mb: 0.5 }}>Battery, label or charger</Box>
          <Box sx={{ display: "flex", gap: 0.6 }}>
            {VOLTS.map((x) => (
              <Pick
                key={x}
                on={draft.volts === x}
                onPick={() => {
                  set({ volts: x, has: [], kept: undefined });
                }}
                label={`${String(x)} V`}
              >
                <b style={{ fontSize: 22 }}>{x} </b>
                <span style={{ fontSize: 15 }}>V</span>
              </Pick>
            ))}
          </Box>
          <Box sx={{ fontSize: 15, mt: 0.8 }}>
            {family ? (
              <>
                <b>{family.full_volts.toFixed(1)} V</b> when full, {family.groups}{" "}
                {family.groups === 1 ? "group" : "groups"} assumed
              </>
            ) : draft.volts > 0 && draft.drive !== "" ? (
              "No wiring model yet: points by hand, no suspects"
            ) : (
              " "
            )}
          </Box>
        </Box>
        <Box sx={{ p: 2, py: 0.8, borderLeft: `1px solid ${v("ruleStrong")}` }}>
          <Box sx={{ fontSize: 15, color: v("ink2"), mb: 0.5 }}>Drive, as it looks</Box>
          <Box sx={{ display: "flex", gap: 0.8 }}>
            {DRIVES.map(([id, name]) => (
              <Pick
                key={id}
                on={draft.drive === id}
                onPick={() => {
                  set({ drive: id, has: [], kept: undefined });
                }}
                label={name}
                tall
              >
                <DriveIcon id={id} />
                <span style={{ fontSize: 14, lineHeight: 1.1, fontWeight: 600 }}>{name}</span>
              </Pick>
            ))}
          </Box>
        </Box>
      </Box>
      <Box
        sx={{
          px: 2,
          py: 0.6,
          display: "flex",
          gap: 1.2,
          alignItems: "center",
          minHeight: 66,
          flexWrap: "wrap",
          flex: "none",
        }}
      >
        <Known
          draft={draft}
          onPick={(k) => {
            set(k === undefined ? { from: undefined } : { from: k, volts: k.volts_class, drive: k.drive });
          }}
        />
        {!p && (
          <Box sx={{ border: `1.5px dashed ${v("ink3")}`, p: 1.4, fontSize: 16, alignSelf: "center" }}>
            {preview.error ? (
              <ErrorLine>{preview.error.message}</ErrorLine>
            ) : (
              "Words, voltage and drive draw the path and its first suspects."
            )}
          </Box>
        )}
        {family && like.length + builds.length > 1 && (
          <Box sx={{ width: 270, alignSelf: "center" }}>
            <Select
              label="Kind of vehicle"
              value={draft.kept?.id ?? family.id}
              onChange={(id) => {
                const kept = builds.find((b) => b.id === id);
                set(kept ? { kept, has: [] } : { like: id, kept: undefined, has: [] });
              }}
              options={[
                ...like.map((f) => [f.id, f.name] as const),
                ...builds.map((b) => [b.id, `${b.name} (kept, not verified)`] as const),
              ]}
            />
          </Box>
        )}
        {p && choices.data && (
          <Box sx={{ width: 200, alignSelf: "center" }}>
            <Select
              label="Add a sign"
              value=""
              onChange={(id) => {
                if (id) answer(id, true);
              }}
              empty="Add a sign …"
              options={choices.data.symptoms.map((x) => [x.id, x.name] as const)}
            />
          </Box>
        )}
        {p && (
          <Box
            sx={{
              // one sign has room beside the rest; more of them stand below
              ...(heard.length === 1 && like.length < 2
                ? { flex: "1 1 240px" }
                : { order: 1, flexBasis: "100%" }),
              display: "flex",
              gap: 1,
              flexWrap: "wrap",
              alignItems: "center",
            }}
          >
            <Signs heard={heard} commonest={p.commonest} onAnswer={answer} />
            {heard
              .filter((h) => h.caution && h.yes === true)
              .map((h) => (
                <ErrorLine key={h.id} tight>
                  {h.caution}
                </ErrorLine>
              ))}
          </Box>
        )}
        <Box sx={{ ml: "auto", display: "flex", gap: 1.2, alignItems: "center", whiteSpace: "nowrap" }}>
          <Box sx={{ textAlign: "right" }}>
            <b
              style={{ fontSize: 20 }}
            >{`${String(Math.floor(seconds / 60))}:${String(seconds % 60).padStart(2, "0")}`}</b>{" "}
            <span style={{ fontSize: 15 }}>since New job</span>
            <Box>
              <Button
                onClick={() => {
                  setDraft(fresh());
                }}
                sx={{ minHeight: 30, height: 30, fontSize: 14.5, py: 0 }}
              >
                Clear
              </Button>
            </Box>
          </Box>
          <Button
            variant="contained"
            disabled={!canOpen}
            onClick={() => {
              open.mutate("gate");
            }}
            sx={{ gap: 1 }}
            data-to-gate
          >
            Open the job <Key>Enter</Key>
          </Button>
          {family && (
            <Button
              disabled={!canOpen}
              onClick={() => {
                open.mutate("vehicle");
              }}
              sx={{ lineHeight: 1.15 }}
              data-to-vehicle
            >
              Open, and set
              <br />
              up its vehicle
            </Button>
          )}
        </Box>
      </Box>
      {open.error && (
        <Box sx={{ px: 2 }}>
          <ErrorLine>{open.error.message}</ErrorLine>
        </Box>
      )}
      {!p && <Outline />}
      {p?.map && p.bench && <TraceMap map={p.map} segments={p.bench.segments} dashed />}
      {p && p.has.length > 0 && (
        <Box sx={{ px: 2, pt: 0.4, pb: 0.6 }}>
          <Has
            row
            slots={p.has}
            closed={false}
            onSet={(change) => {
              if (change.what === "component") {
                set({ has: [...has.filter((h) => h.slot !== change.slot), change] });
              }
            }}
          />
        </Box>
      )}
      {p && !p.bench && <NoModel />}
      {p?.bench && (
        <Box
          sx={{
            display: "flex",
            gap: 2,
            px: 2,
            pt: 0.5,
            pb: 1,
            flex: 1,
            minHeight: 0,
            "@media (max-width: 900px)": { flexDirection: "column" },
          }}
        >
          <KeyedCard label="Asked now" sx={{ flex: 1, minHeight: 200 }}>
            <Box sx={{ p: 1.6, display: "grid", gap: 0.9 }}>
              {question ? (
                <>
                  <Box sx={{ fontSize: 16 }}>
                    <b style={{ color: v("copper") }}>Asked now</b> {question.definition}
                  </Box>
                  <Box component="h1" sx={{ m: 0, fontSize: 24, fontWeight: 750 }}>
                    {question.ask}
                  </Box>
                  <Box sx={{ display: "grid", gridTemplateColumns: "1fr 1fr 1fr", gap: 1 }}>
                    {question.answers.map((a, k) => (
                      <Choice
                        key={a.name}
                        name={a.name}
                        effect={a.effect}
                        hotkey={["1", "2", "0"][k]}
                        onPick={() => {
                          answer(question.symptom, a.yes ?? null);
                        }}
                      />
                    ))}
                  </Box>
                </>
              ) : (
                <Box component="h1" sx={{ m: 0, fontSize: 24, fontWeight: 750 }}>
                  No more questions: what is left is measured.
                </Box>
              )}
              <Box sx={{ fontSize: 15 }}>
                After the gate <b>{p.bench.next?.name ?? "nothing to probe"}</b>
                {p.bench.others[0] && (
                  <>
                    {" "}
                    and <b>{p.bench.others[0].name}</b>
                  </>
                )}
                .
              </Box>
            </Box>
          </KeyedCard>
          <Box
            sx={{
              width: 408,
              flex: "none",
              position: "relative",
              minHeight: 214,
              "& > *": { position: "absolute", inset: 0, overflowY: "auto" },
              "@media (max-width: 900px)": {
                width: "100%",
                "& > *": { position: "static" },
              },
            }}
          >
            <Suspects bench={p.bench} most={8} />
          </Box>
        </Box>
      )}
    </Box>
  );
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

/** A vehicle the shop has seen: found by name or frame number, it brings what is known of it. */
const Known = ({ draft, onPick }: { draft: Draft; onPick: (k: KnownVehicle | undefined) => void }) => {
  const [find, setFind] = useState("");
  const known = useVehicles(useSettled(find, 200));
  const k = draft.from;
  return (
    <Box sx={{ display: "flex", gap: 1, alignItems: "center", flex: "none" }}>
      {k ? (
        <>
          <Box sx={{ fontSize: 16, whiteSpace: "nowrap" }} data-known={k.name}>
            Known: <b>{k.name || `the one of job ${number4(k.number)}`}</b>
            {k.frame_number ? `, frame ${k.frame_number}` : ""}. Last here{" "}
            {k.closed_at ? day(k.closed_at) : "and still open"}
            {k.mended ? `: ${k.mended.toLowerCase()}` : ""}
            {k.changes.length > 0 ? `. ${String(k.changes.length)} changed from the drawing` : ""}
          </Box>
          <Button
            onClick={() => {
              onPick(undefined);
            }}
            sx={{ minHeight: 40, fontSize: 15 }}
          >
            Not this one
          </Button>
        </>
      ) : (
        <>
          <Box
            component="input"
            name="known"
            aria-label="Seen before: name or frame number"
            placeholder="Seen before? Name, frame"
            value={find}
            onChange={(e: React.ChangeEvent<HTMLInputElement>) => {
              setFind(e.target.value);
            }}
            sx={{
              font: "inherit",
              fontSize: 16,
              width: 216,
              flex: "none",
              height: 48,
              border: `1.5px solid ${v("ink")}`,
              borderRadius: "3px",
              background: v("sheet"),
              color: v("ink"),
              px: 1,
              "&::placeholder": { color: v("ink3"), opacity: 1 },
            }}
          />
          {find.trim().length >= 2 && (known.data ?? []).length === 0 && (
            <span style={{ fontSize: 15 }}>Nothing known by these words.</span>
          )}
          {find.trim().length >= 2 &&
            (known.data ?? []).map((x) => (
              <Button
                key={x.job}
                onClick={() => {
                  setFind("");
                  onPick(x);
                }}
                data-pick-known={x.name}
                sx={{ minHeight: 44, fontSize: 15.5, whiteSpace: "nowrap", flex: "none" }}
              >
                {x.name}
                {x.frame_number ? `, ${x.frame_number}` : ""} · {x.jobs} {x.jobs === 1 ? "job" : "jobs"}
              </Button>
            ))}
        </>
      )}
    </Box>
  );
};

/** No wiring model: the job opens all the same, and says what it can do without one. */
const NoModel = () => (
  <Box sx={{ p: 2, flex: 1 }}>
    <KeyedCard label="Open without a wiring model" sx={{ maxWidth: 760 }}>
      <Box sx={{ p: 2.4, display: "grid", gap: 1.4, justifyItems: "start", fontSize: 17 }}>
        <Box component="h1" sx={{ m: 0, fontSize: 24, fontWeight: 750 }}>
          No suspects for this vehicle
        </Box>
        <span>
          They are worked out from a wiring model, and there is none for it. Points are named by hand and
          compared with an identical working vehicle; gate, parts, minutes, quote, proof and report all work.
        </span>
      </Box>
    </KeyedCard>
  </Box>
);

/** Before anything is known: the frame of what will be drawn. */
const Outline = () => {
  const dash = {
    border: `1.5px dashed ${v("ink3")}`,
    display: "grid",
    placeItems: "center",
    color: v("ink2"),
  } as const;
  return (
    <Box
      sx={{
        flex: 1,
        px: 2,
        pb: 2,
        display: "grid",
        gridTemplateRows: "290px minmax(160px, 1fr)",
        gap: 2,
        fontSize: 17,
        textAlign: "center",
      }}
    >
      <Box
        sx={{ display: "grid", gridTemplateColumns: "90px 90px 1fr 1fr 130px", gap: 2, alignItems: "center" }}
      >
        {["Pack", "Fuse", "Controller and its strands", "Phases, hall wires", "Motor"].map((name, k) => (
          <Box key={name} sx={{ ...dash, height: k === 4 ? 130 : 96, borderRadius: k === 4 ? "50%" : 0 }}>
            {name}
          </Box>
        ))}
      </Box>
      <Box sx={{ display: "grid", gridTemplateColumns: "1fr 408px", gap: 2 }}>
        <Box sx={dash}>The question that tells most, and the way to the gate</Box>
        <Box sx={dash}>First suspects</Box>
      </Box>
    </Box>
  );
};

const Pick = ({
  on,
  onPick,
  label,
  tall = false,
  children,
}: {
  on: boolean;
  onPick: () => void;
  label: string;
  tall?: boolean;
  children: React.ReactNode;
}) => (
  <Box
    component="button"
    type="button"
    aria-pressed={on}
    aria-label={label}
    onClick={onPick}
    sx={{
      font: "inherit",
      width: tall ? 70 : 46,
      height: tall ? 92 : 58,
      display: "flex",
      flexDirection: "column",
      alignItems: "center",
      justifyContent: "center",
      gap: 0.4,
      border: `1.5px solid ${v("ink")}`,
      borderRadius: "3px",
      background: on ? v("ink") : v("sheet"),
      color: on ? v("sheet") : v("ink"),
      cursor: "pointer",
      p: 0.5,
    }}
  >
    {children}
  </Box>
);

const DriveIcon = ({ id }: { id: string }) => {
  const line = { fill: "none", stroke: "currentColor", strokeWidth: 2.4 } as const;
  return (
    <svg width="36" height="36" viewBox="0 0 46 46" aria-hidden="true" {...line}>
      {id === "geared-hub" && (
        <>
          <circle cx="23" cy="23" r="19" />
          <circle cx="23" cy="23" r="5" />
          {[0, 1, 2].map((k) => (
            <circle
              key={k}
              cx={23 + 11.5 * Math.sin((k * 2 * Math.PI) / 3)}
              cy={23 - 11.5 * Math.cos((k * 2 * Math.PI) / 3)}
              r="5.4"
            />
          ))}
        </>
      )}
      {id === "direct-hub" && (
        <>
          <circle cx="23" cy="23" r="19" />
          <circle cx="23" cy="23" r="14" />
          <circle cx="23" cy="23" r="3" />
        </>
      )}
      {id === "mid" && (
        <>
          <circle cx="23" cy="23" r="12" />
          <path d="M23 23L8 12M23 23l15 11M4 12h8M34 34h8" />
        </>
      )}
      {id === "chain" && (
        <>
          <circle cx="11" cy="26" r="8" />
          <circle cx="35" cy="20" r="5" />
          <path d="M9 18l25-3M13 34l23-9" />
        </>
      )}
      {id === OTHER && <path d="M6 12h34v22H6zM16 12v22M30 12v22" strokeDasharray="5 4" />}
      {id === "brushed" && (
        <>
          <path d="M4 14h22v20H4zM11 14V8M19 14V8M26 24h5" />
          <circle cx="36" cy="24" r="5" />
        </>
      )}
    </svg>
  );
};
