import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import { useState } from "react";
import { useNavigate, useParams } from "react-router";
import type { Body, JobView, ProofRow, Told } from "../api/client";
import { useAppend, useJob, useMe } from "../api/hooks";
import { JobLine } from "../frame/JobLine";
import { Cell, JobCell, MinutesCell, Small, TitleBlock, Warnings } from "../frame/TitleBlock";
import { PhotoButton } from "../photos/Photos";
import { v } from "../theme/tokens";
import { Line, number } from "../ui/form";
import { clock, limitWords, minutes } from "../ui/format";
import { TAKES_COMMANDS, useCommands } from "../ui/commands";
import { command } from "../ui/keys";
import { DeadFirst } from "../ui/DeadFirst";
import { ErrorLine, Heading, Key, KeyedCard, Lock, Tick } from "../ui/parts";
import { LimitRuler } from "./LimitRuler";
import { isClosed } from "./standing";
import { FigureField } from "../ui/FigureField";

export const ProofPage = () => {
  const { id = "" } = useParams();
  const job = useJob(id);
  if (!job.data)
    return (
      <Box sx={{ p: 3 }}>{job.error ? <ErrorLine>{job.error.message}</ErrorLine> : "Fetching the job"}</Box>
    );
  return <Proof job={job.data} />;
};

const Proof = ({ job }: { job: JobView }) => {
  const [picked, setPicked] = useState<string>();
  const go = useNavigate();
  const rows = job.proof;
  const first = rows.find((r) => !isClosed(r));
  const now = rows.find((r) => r.check === picked) ?? first;
  const passed = rows.filter(isClosed).length;
  const blockers = rows.filter((r) => r.blocker);
  const rest = rows.filter((r) => !r.blocker);
  const failed = rows.filter((r) => r.standing === "failed").length;
  const walk = (by: number) => {
    const order = [...blockers, ...rest];
    const at = order.findIndex((r) => r.check === now?.check);
    const next = order[Math.min(order.length - 1, Math.max(0, at + by))]?.check;
    setPicked(next);
    document.querySelector(`[data-row="${next ?? ""}"]`)?.scrollIntoView({ block: "nearest" });
  };
  useCommands([
    command("proof.next", () => {
      walk(1);
    }),
    command("proof.before", () => {
      walk(-1);
    }),
  ]);
  return (
    <Box sx={{ minHeight: "100vh", display: "flex", flexDirection: "column" }}>
      <JobLine job={job} here="proof" />
      <TitleBlock>
        <JobCell job={job} />
        <Cell width={260} caption="Proof">
          <span data-passed={passed} data-of={rows.length}>
            {passed} of {rows.length}
          </span>{" "}
          <Small>{failed > 0 ? `closed, ${String(failed)} failed` : "closed"}</Small>
        </Cell>
        <MinutesCell job={job} />
      </TitleBlock>
      <Warnings job={job} />
      <Box
        sx={{
          p: 2,
          display: "grid",
          gridTemplateColumns: "minmax(0, 1fr) 464px",
          gap: 2.5,
          alignItems: "start",
          "@media (max-width: 900px)": { gridTemplateColumns: "minmax(0, 1fr)" },
        }}
      >
        <Box sx={{ "@media (max-width: 900px)": { order: 2 } }}>
          <Heading
            note={
              job.touched.length > 0
                ? `for ${job.touched.join(", ").replaceAll("the ", "")}, and every ridden vehicle`
                : "as every ridden vehicle"
            }
          >
            What this job must pass
          </Heading>
          <Box sx={{ borderTop: `2px solid ${v("ink")}`, mt: 1 }}>
            <Group words="safety: must pass" rows={blockers} now={now?.check} onPick={setPicked} />
            <Group words="or left out, with a reason" rows={rest} now={now?.check} onPick={setPicked} />
          </Box>
        </Box>
        <Box
          sx={{ position: "sticky", top: 12, "@media (max-width: 900px)": { position: "static", order: 1 } }}
        >
          {job.closed == null && job.gate.standing === "asking" ? (
            <GateFirst job={job} />
          ) : job.closed == null && job.gate.dead_first ? (
            <DeadFirst first={job.gate.dead_first} onPick={() => void go(`/jobs/${job.id}/bench`)} />
          ) : now && job.closed == null ? (
            <Check
              key={`${now.check}-${String(now.tries.length)}`}
              job={job}
              row={now}
              onDone={() => {
                setPicked(undefined);
              }}
            />
          ) : (
            <KeyedCard label="All closed">
              <Box sx={{ p: 2.5, display: "grid", gap: 1.5, justifyItems: "start" }}>
                <Box
                  component="h1"
                  sx={{ m: 0, fontSize: 26, fontWeight: 750, display: "flex", gap: 1, alignItems: "center" }}
                >
                  <Tick size={26} /> {passed} of {rows.length} closed
                </Box>
                <Button
                  variant="contained"
                  onClick={() => void go(`/jobs/${job.id}/hand-back`)}
                  data-to-hand-back
                >
                  To the hand-back
                </Button>
              </Box>
            </KeyedCard>
          )}
        </Box>
      </Box>
    </Box>
  );
};

/** Rows under one bracket that says who may let them go. */
const Group = ({
  words,
  rows,
  now,
  onPick,
}: {
  words: string;
  rows: ProofRow[];
  now: string | undefined;
  onPick: (check: string) => void;
}) =>
  rows.length === 0 ? null : (
    <Box sx={{ display: "flex" }}>
      <Box
        sx={{
          width: 26,
          flex: "none",
          my: 1,
          borderLeft: `2px solid ${v("ink")}`,
          borderTop: `2px solid ${v("ink")}`,
          borderBottom: `2px solid ${v("ink")}`,
          borderRight: 0,
          position: "relative",
        }}
      >
        <Box
          sx={{
            position: "absolute",
            left: 3,
            top: "50%",
            transform: "translateY(-50%) rotate(180deg)",
            writingMode: "vertical-rl",
            fontSize: 14,
            fontWeight: 600,
            whiteSpace: "nowrap",
            maxHeight: "92%",
            overflow: "hidden",
          }}
        >
          {words}
        </Box>
      </Box>
      <Box sx={{ flex: 1, minWidth: 0, pl: 1 }}>
        {rows.map((r) => (
          <Row
            key={r.check}
            row={r}
            now={r.check === now}
            onPick={() => {
              onPick(r.check);
            }}
          />
        ))}
      </Box>
    </Box>
  );

/** Why a check is asked, where it is not for what was touched. */
const BECAUSE: Partial<Record<string, string>> = {
  always: "asked of every vehicle",
  complaint: "for the complaint",
  moved: "a plug was apart",
  worked: "something was undone",
};

const NAMES: Record<ProofRow["standing"], string> = {
  open: "not yet",
  passed: "passed",
  failed: "failed",
  "not-fitted": "not fitted",
  excepted: "left out",
};

const Row = ({ row, now, onPick }: { row: ProofRow; now: boolean; onPick: () => void }) => {
  const before = row.tries.slice(0, -1).filter((t) => t.result === "fail" || t.stale);
  const last = row.tries[row.tries.length - 1];
  return (
    <Box data-row={row.check} data-standing={row.standing}>
      {before.map((t) => (
        <Box key={t.entry} sx={{ ...line, fontSize: 15, color: v("ink2") }}>
          <Contact state="failed" />
          <Box sx={{ flex: 1, minWidth: 0 }}>
            {row.name}
            {t.words ? `: ${t.words}` : ""}
          </Box>
          <Box component="span" sx={{ textDecoration: "line-through" }}>
            {t.shown ?? (t.result === "fail" ? "failed" : "passed")}
          </Box>
          <Box sx={{ width: 132 }}>
            {t.result === "fail" ? "failed" : "before the last change"} {clock(t.at)}
          </Box>
        </Box>
      ))}
      <Box
        component="button"
        type="button"
        onClick={onPick}
        aria-pressed={now}
        sx={{
          ...line,
          font: "inherit",
          fontSize: 17,
          color: v("ink"),
          width: "100%",
          textAlign: "left",
          background: "transparent",
          cursor: "pointer",
          border: 0,
          borderBottom: `1px solid ${v("ruleStrong")}`,
          ...(now ? { outline: `3px solid ${v("copperFill")}`, outlineOffset: "-3px" } : {}),
        }}
      >
        <Contact state={isClosed(row) ? "closed" : row.standing === "failed" ? "failed" : "open"} />
        <Box sx={{ flex: 1, minWidth: 0, fontWeight: 600 }}>
          {before.length > 0 ? `Again: ${row.name}` : row.name}
        </Box>
        <Box sx={{ width: 210, flex: "none", "@media (max-width: 1100px)": { width: 150 } }}>
          <LimitRuler row={row} figure={last && !last.stale ? (last.value ?? undefined) : undefined} />
        </Box>
        <Box sx={{ width: 84, flex: "none", textAlign: "right", fontWeight: 700 }}>
          {last && !last.stale ? last.shown : ""}
        </Box>
        <Box
          sx={{ width: 116, flex: "none", display: "flex", gap: 0.7, alignItems: "center", fontWeight: 600 }}
        >
          {isClosed(row) ? <Tick size={18} /> : row.standing === "failed" ? <Cross /> : null}
          {row.standing === "open" ? (
            <span style={{ fontWeight: 500 }}>about {minutes(row.minutes)} min</span>
          ) : (
            NAMES[row.standing]
          )}
        </Box>
      </Box>
      {row.standing === "excepted" && (
        <Box sx={{ fontSize: 15, pl: 5, pb: 0.6 }}>Left out, prints: {row.excepted}</Box>
      )}
    </Box>
  );
};

const line = {
  minHeight: 48,
  display: "flex",
  gap: 1,
  alignItems: "center",
  px: 0.8,
  py: 0.4,
  borderBottom: `1px solid ${v("rule")}`,
} as const;

const Cross = () => (
  <svg width="16" height="16" aria-hidden="true" style={{ flex: "none" }}>
    <path d="M2 2l12 12M14 2L2 14" stroke={v("ink")} strokeWidth="2.6" />
  </svg>
);

/** A contact in the chain: closed, open, or failed. */
const Contact = ({ state }: { state: "closed" | "open" | "failed" }) => (
  <svg width="26" height="34" viewBox="0 0 26 34" aria-hidden="true" style={{ flex: "none" }}>
    {state === "closed" ? (
      <path d="M10 5v24" stroke={v("verdigrisFill")} strokeWidth="4.4" />
    ) : state === "open" ? (
      <path d="M10 28L20 9" stroke={v("ink3")} strokeWidth="2.6" />
    ) : (
      <path d="M5 12l10 10M15 12L5 22" stroke={v("ink")} strokeWidth="2.6" />
    )}
    {[5, 29].map((y) => (
      <circle
        key={y}
        cx="10"
        cy={y}
        r="3.2"
        fill={v("paper")}
        stroke={state === "closed" ? v("verdigrisFill") : v("ink3")}
        strokeWidth="2"
      />
    ))}
  </svg>
);

/** Of what was told: what shows still and what is gone. It parts a wrong repair from a second fault. */
const Still = ({
  told,
  still,
  onSay,
}: {
  told: Told[];
  still: Record<string, boolean>;
  onSay: (still: Record<string, boolean>) => void;
}) => (
  <Box sx={{ display: "grid", gap: 0.6 }} data-still>
    <Box sx={{ fontSize: 15, color: v("ink2") }}>
      If it fails, say of each complaint whether it still shows: what is gone came from the fault just
      repaired.
    </Box>
    {told.map((s) => (
      <Box key={s.id} sx={{ display: "flex", gap: 1, alignItems: "center" }} data-symptom={s.id}>
        <Box sx={{ flex: 1, fontSize: 16.5 }}>{s.name}</Box>
        {[true, false].map((yes) => (
          <Button
            key={String(yes)}
            type="button"
            aria-pressed={still[s.id] === yes}
            variant={still[s.id] === yes ? "contained" : "outlined"}
            onClick={() => {
              const { [s.id]: said, ...others } = still;
              onSay(said === yes ? others : { ...still, [s.id]: yes });
            }}
            sx={{ minHeight: 44, minWidth: 78 }}
            data-shows={yes}
          >
            {yes ? "Still" : "Gone"}
          </Button>
        ))}
      </Box>
    ))}
  </Box>
);

/** A part was changed: the gate asks its own question again before anything is switched on. */
const GateFirst = ({ job }: { job: JobView }) => {
  const append = useAppend(job);
  const go = useNavigate();
  const smell = job.gate.contacts.find((c) => c.standing === "open");
  const others = job.gate.contacts.filter((c) => c.standing === "open").length > 1 || smell?.figure === true;
  return (
    <KeyedCard label="The gate asks again">
      <Box sx={{ p: 2.5, display: "grid", gap: 1.4, justifyItems: "start" }} data-gate-again>
        <Box sx={{ fontSize: 16 }}>
          <b style={{ color: v("copper") }}>First</b> {smell?.how}
        </Box>
        <Box component="h1" sx={{ m: 0, fontSize: 25, fontWeight: 750 }}>
          {others ? "The gate is not closed yet." : smell?.ask}
        </Box>
        {others || smell === undefined ? (
          <Button variant="contained" onClick={() => void go(`/jobs/${job.id}/gate`)}>
            To the gate
          </Button>
        ) : (
          <Box sx={{ display: "flex", gap: 1, flexWrap: "wrap" }}>
            {smell.answers.map((a) => (
              <Button
                key={a.id}
                disabled={append.isPending}
                onClick={() => {
                  append.mutate([{ kind: "gate", check: smell.id, answer: a.id, typed: null }]);
                }}
                data-gate-answer={a.id}
              >
                {a.name}
              </Button>
            ))}
          </Box>
        )}
        {append.error && <ErrorLine>{append.error.message}</ErrorLine>}
      </Box>
    </KeyedCard>
  );
};

/** What has to be done before this check means anything, with the press that does it. */
const Waiting = ({ job, waits }: { job: JobView; waits: NonNullable<ProofRow["waits"]> }) => {
  const append = useAppend(job);
  if (waits.for === "ride") return <ErrorLine>After the test ride: only what was ridden shows it.</ErrorLine>;
  return (
    <Box sx={{ display: "flex", gap: 1, alignItems: "center", flexWrap: "wrap" }} data-waits>
      <ErrorLine>{waits.names.join(", ")} recorded apart. Power off, then join.</ErrorLine>
      <Button
        type="button"
        disabled={append.isPending}
        onClick={() => {
          const apart = job.state.apart?.filter((p) => !waits.plugs.includes(p));
          append.mutate([{ kind: "state", state: { ...job.state, apart } }]);
        }}
        data-join
      >
        {waits.plugs.length > 1 ? "They are joined" : "It is joined"}
      </Button>
    </Box>
  );
};

const Check = ({ job, row, onDone }: { job: JobView; row: ProofRow; onDone: () => void }) => {
  const append = useAppend(job);
  const me = useMe();
  const go = useNavigate();
  const [typed, setTyped] = useState("");
  const [words, setWords] = useState("");
  const [except, setExcept] = useState<string>();
  const [still, setStill] = useState<Record<string, boolean>>({});
  const measured = row.unit != null;
  const waits = row.waits != null;
  const told = row.check === "complaint" ? job.symptoms.filter((s) => s.yes === true) : [];
  const need = row.need ?? undefined;
  const may = me.data?.role === "technician" || me.data?.role === "specialist";
  const send = (result: "pass" | "fail" | "not-fitted") => {
    const bodies: Body[] = need === undefined ? [] : [{ kind: "confirmed", need }];
    append.mutate(
      [
        ...bodies,
        {
          kind: "proof",
          check: row.check,
          result,
          typed: result === "not-fitted" ? "" : typed.trim(),
          words: words.trim(),
          still: result === "fail" ? still : {},
        },
      ],
      { onSuccess: onDone },
    );
  };
  const pass = () => {
    send("pass");
  };
  useCommands([command("proof.passed", measured || waits ? undefined : pass), command("proof.back", onDone)]);
  return (
    <KeyedCard label={`Check: ${row.name}`}>
      <Box
        component="form"
        onSubmit={(e: React.FormEvent) => {
          e.preventDefault();
          pass();
        }}
        sx={{ p: 2.2, display: "grid", gap: 1.3 }}
        data-check={row.check}
      >
        <Box sx={{ fontSize: 16, pr: 3 }}>
          <b style={{ color: v("copper") }}>{row.standing === "failed" ? "Failed, try again" : "Now"}</b>{" "}
          About {minutes(row.minutes)} min
          {row.because.length > 0 ? `, ${row.because.map((b) => BECAUSE[b] ?? `for ${b}`).join(", ")}` : ""}.
        </Box>
        <Box component="h1" sx={{ m: 0, fontSize: 26, fontWeight: 750, lineHeight: 1.15 }}>
          {row.name}
        </Box>
        <Box sx={{ fontSize: 17 }}>{row.how}</Box>
        <Box sx={{ fontSize: 21, fontWeight: 700 }}>
          {limitWords(row.limit, row.limit_imperial)}
          {row.usual != null && (
            <Box component="span" sx={{ fontSize: 16.5, fontWeight: 500, ml: 1 }} data-usual>
              usual here {row.usual} {row.unit}
            </Box>
          )}
        </Box>
        {row.again.map((a) => (
          <Box
            key={a.test}
            sx={{ display: "flex", gap: 1.5, alignItems: "center", fontSize: 17 }}
            data-again={a.test}
          >
            <span style={{ flex: 1 }}>
              {a.name}: <b>{a.expected}</b>
            </span>
            <Button onClick={() => void go(`/jobs/${job.id}/bench?test=${encodeURIComponent(a.test)}`)}>
              Take it on the Bench
            </Button>
          </Box>
        ))}
        {row.waits && <Waiting job={job} waits={row.waits} />}
        {row.ask != null && (
          <Box
            sx={{
              border: `${need === undefined ? "1.5px" : "3px"} solid ${need === undefined ? v("ruleStrong") : v("copperFill")}`,
              background: need === undefined ? "transparent" : v("copperTint"),
              p: 1,
              px: 1.4,
              display: "flex",
              gap: 1,
              alignItems: "center",
            }}
            data-need={need ?? "confirmed"}
          >
            <span>
              <b>{row.ask}</b>
              <Box sx={{ fontSize: 15, color: v("ink2") }}>{row.caution}</Box>
            </span>
            {need === undefined && <Tick size={20} />}
          </Box>
        )}
        {measured && (
          <Box sx={{ display: "flex", gap: 1 }}>
            <FigureField
              label={`Figure in ${row.unit ?? ""}`}
              name="figure"
              {...TAKES_COMMANDS}
              autoFocus
              value={typed}
              onChange={setTyped}
              unit={row.unit ?? ""}
              width={190}
            />
            <Box sx={{ flex: 1, alignSelf: "center" }}>
              <LimitRuler row={row} figure={number(typed)} wide />
            </Box>
          </Box>
        )}
        <Line
          label={measured ? "What was seen" : "What was seen; needed when it fails"}
          name="seen"
          value={words}
          onChange={setWords}
        />
        {told.length > 0 && <Still told={told} still={still} onSay={setStill} />}
        {append.error && <ErrorLine>{append.error.message}</ErrorLine>}
        <Box sx={{ display: "flex", gap: 1, flexWrap: "wrap" }}>
          {measured ? (
            <Button
              type="submit"
              variant="contained"
              disabled={append.isPending || waits || typed.trim() === ""}
              sx={{ gap: 1, minHeight: 62, fontSize: 19 }}
              data-take-proof
            >
              {need === undefined ? "Save reading" : "Confirmed, save reading"} <Key>Enter</Key>
            </Button>
          ) : (
            <Button
              type="submit"
              variant="contained"
              disabled={append.isPending || waits}
              sx={{ gap: 1, minHeight: 62, fontSize: 19 }}
              data-pass
            >
              {need === undefined ? "Passed" : "Confirmed, passed"} <Key>Enter</Key>
            </Button>
          )}
          <Button
            type="button"
            disabled={
              append.isPending ||
              waits ||
              (!measured && words.trim() === "") ||
              (measured && typed.trim() === "")
            }
            onClick={() => {
              send("fail");
            }}
            sx={{ minHeight: 62 }}
            data-fail
          >
            Failed
          </Button>
          {row.may_lack && (
            <Button
              type="button"
              disabled={append.isPending || words.trim() === ""}
              onClick={() => {
                send("not-fitted");
              }}
              sx={{ minHeight: 62 }}
              data-not-fitted
            >
              Not fitted
            </Button>
          )}
          <PhotoButton job={job} caption={`Proof: ${row.name}`} />
        </Box>
        {row.standing === "failed" && (
          <Button type="button" onClick={() => void go(`/jobs/${job.id}/bench`)} data-to-bench>
            Back to the Bench
          </Button>
        )}
        <Box sx={{ borderTop: `1px solid ${v("ruleStrong")}`, pt: 1, fontSize: 15.5 }}>
          {row.blocker ? (
            <Box sx={{ display: "flex", gap: 1, alignItems: "center" }}>
              <Lock size={18} /> Safety: it has to pass.
            </Box>
          ) : except === undefined ? (
            <Button
              type="button"
              disabled={!may}
              onClick={() => {
                setExcept("");
              }}
              sx={{ minHeight: 44, fontSize: 15.5 }}
              data-except
            >
              {may ? "Leave out, with a reason" : "A technician may leave it out, with a reason"}
            </Button>
          ) : (
            <Box sx={{ display: "grid", gap: 1 }}>
              <Line
                label="Why, prints on the report"
                name="reason"
                value={except}
                onChange={setExcept}
                autoFocus
              />
              <Box sx={{ display: "flex", gap: 1 }}>
                <Button
                  type="button"
                  disabled={append.isPending || except.trim().length < 5}
                  onClick={() => {
                    append.mutate([{ kind: "except", what: row.check, reason: except.trim() }], {
                      onSuccess: onDone,
                    });
                  }}
                  data-except-send
                >
                  Leave it out
                </Button>
                <Button
                  type="button"
                  onClick={() => {
                    setExcept(undefined);
                  }}
                >
                  Cancel
                </Button>
              </Box>
            </Box>
          )}
        </Box>
      </Box>
    </KeyedCard>
  );
};
