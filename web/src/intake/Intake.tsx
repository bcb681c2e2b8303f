import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import { useMutation, useQuery } from "@tanstack/react-query";
import { useEffect, useState } from "react";
import { useNavigate, useSearchParams } from "react-router";
import { api, Refusal, take, type Change, type Preview } from "../api/client";
import { lookAheadAtIntake, useChoices, useKeptBuilds } from "../api/hooks";
import { Suspects } from "../bench/Suspects";
import { JobLine } from "../frame/JobLine";
import { Has } from "../has/Has";
import { v } from "../theme/tokens";
import { TraceMap } from "../trace/TraceMap";
import { useCommands } from "../ui/commands";
import { Select } from "../ui/form";
import { command } from "../ui/keys";
import { ErrorLine, Key } from "../ui/parts";
import { useSettled } from "../ui/useSettled";
import { Asked } from "./Asked";
import { DRAFT, entriesOf, fresh, kept, OTHER, type Draft } from "./draft";
import { Kind } from "./Kind";
import { Known } from "./Known";
import { NoModel, Outline } from "./Outline";
import { Signs } from "./Signs";
import { Words } from "./Words";

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
  // the ready build that somebody chose; the words speak of one where nobody did
  const chose = draft.kept ? (kind ?? like[0]?.id) : (draft.like ?? (draft.from ? like[0]?.id : undefined));
  const chosen = like.find((f) => f.id === chose);
  const has = draft.has ?? [];
  const builds = useKeptBuilds(draft.volts, draft.drive).data ?? [];
  const kindOf = (family: (typeof like)[number] | undefined): Change[] =>
    family === undefined || family === like[0] ? [] : [{ what: "kind", family: family.id }];
  const words = useSettled(draft.words, 250);
  const drive = like.length > 0 ? draft.drive : OTHER;
  const ready = words.trim().length > 2 && draft.volts > 0 && draft.drive !== "";
  const known = {
    words,
    volts_class: draft.volts,
    drive,
    like: chosen?.id,
    symptoms: draft.symptoms,
    risks: draft.risks,
    changes: like.length > 0 ? [...(draft.kept?.changes ?? kindOf(chosen)), ...has] : [],
  };
  const preview = useQuery({
    queryKey: ["intake", known],
    enabled: ready,
    queryFn: () => take(api.POST("/intake", { body: known })),
    placeholderData: (old: Preview | undefined) => old,
  });
  const p = ready ? preview.data : undefined;
  const family = chosen ?? like.find((f) => f.id === p?.called) ?? like[0];
  // what was taken away is gone, and is not written
  const heard = (p?.heard ?? []).filter((h) => h.yes != null);
  const answer = (id: string, yes: boolean | null, kind: "symptoms" | "risks" = "symptoms") => {
    set({ [kind]: [...draft[kind].filter((s) => s.id !== id), { id, yes }] } as Partial<Draft>);
  };
  const seconds = Math.max(0, Math.floor((now - draft.begun) / 1000));
  const open = useMutation({
    mutationFn: async (to: "gate" | "vehicle") => {
      const modelled = family !== undefined;
      const changes = modelled ? [...(draft.kept?.changes ?? kindOf(family)), ...has] : [];
      const { ids, entries } = entriesOf(draft, { drive, changes, heard, modelled });
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
        <Kind
          volts={draft.volts}
          drive={draft.drive}
          family={family}
          kinds={
            family && like.length + builds.length > 1 ? (
              <Select
                low
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
            ) : undefined
          }
          onPick={(kind) => {
            set({ ...kind, has: [], kept: undefined });
          }}
        />
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
        {p && choices.data && (
          <Box sx={{ width: 134, alignSelf: "center" }}>
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
              // one sign or two have room beside the rest; more of them stand below
              ...(heard.length === 1 || heard.length === 2
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
          <Box sx={{ textAlign: "right" }} aria-label="Since New job">
            <b
              style={{ fontSize: 20 }}
            >{`${String(Math.floor(seconds / 60))}:${String(seconds % 60).padStart(2, "0")}`}</b>
            <Box component="span" sx={{ fontSize: 15, "@media (max-width: 1340px)": { display: "none" } }}>
              {" "}
              since New job
            </Box>
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
            standstill={p.standstill}
            closed={false}
            onSet={(change) => {
              if (change.what === "component") {
                // what was looked at stands on this vehicle, whatever is typed after it
                set({ like: family?.id, has: [...has.filter((h) => h.slot !== change.slot), change] });
              }
            }}
            onLook={(slot) => {
              // what is pressed next takes the place of what was pressed there
              const apart = known.changes.filter((c) => c.what !== "component" || c.slot !== slot);
              lookAheadAtIntake({ ...known, changes: apart }, slot);
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
          <Asked preview={p} bench={p.bench} onAnswer={answer} />
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
