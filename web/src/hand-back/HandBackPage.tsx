import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import { useState } from "react";
import { useNavigate, useParams } from "react-router";
import type { JobView, Outcome } from "../api/client";
import { useJob, useMe } from "../api/hooks";
import { JobLine } from "../frame/JobLine";
import { Cell, JobCell, MinutesCell, MoneyCell, TitleBlock, Warnings } from "../frame/TitleBlock";
import { Mends } from "../repair/Mends";
import { useWrite } from "../repair/useWrite";
import { v } from "../theme/tokens";
import { Line, OneOf, number, pressed } from "../ui/form";
import { day, distance, distanceUnit, instant, kilometres } from "../ui/format";
import { useCommands } from "../ui/commands";
import { choice } from "../ui/keys";
import { Digit, ErrorLine, Heading, KeyedCard, Tick } from "../ui/parts";
import { toDo } from "../proof/standing";

export const OUTCOMES: [Outcome, string][] = [
  ["repaired", "Repaired"],
  ["made-safe", "Made safe"],
  ["declined", "Declined"],
  ["referred", "Referred"],
  ["no-fault-found", "No fault found"],
  ["handed-back-as-is", "Handed back as is"],
  ["scrapped", "Scrapped"],
];

const RIDDEN: Outcome[] = ["repaired", "no-fault-found"];
const MENDED: Outcome[] = ["repaired", "made-safe"];

export const HandBackPage = () => {
  const { id = "" } = useParams();
  const job = useJob(id);
  if (!job.data)
    return (
      <Box sx={{ p: 3 }}>{job.error ? <ErrorLine>{job.error.message}</ErrorLine> : "Fetching the job"}</Box>
    );
  return <HandBack job={job.data} />;
};

const HandBack = ({ job }: { job: JobView }) => (
  <Box sx={{ minHeight: "100vh", display: "flex", flexDirection: "column" }}>
    <JobLine job={job} here="hand-back" />
    <TitleBlock>
      <JobCell job={job} />
      <MinutesCell job={job} />
      <MoneyCell job={job} />
      <Cell width={200} caption="Customer">
        {job.customer?.name ?? (job.customer_id == null ? "not named" : "erased")}
      </Cell>
    </TitleBlock>
    <Warnings job={job} />
    <Box
      sx={{
        p: 2,
        display: "grid",
        gridTemplateColumns: "minmax(0, 1.15fr) minmax(0, 1fr)",
        gap: 3,
        alignItems: "start",
        "@media (max-width: 900px)": { gridTemplateColumns: "minmax(0, 1fr)" },
      }}
    >
      {job.closed == null ? <Ending job={job} /> : <Ended job={job} />}
      <OwnerSheet job={job} key={job.owner_sheet.join("|")} />
    </Box>
  </Box>
);

/** How it ended, and what is handed over. */
const Ended = ({ job }: { job: JobView }) => {
  const go = useNavigate();
  const c = job.closed;
  if (c == null) return null;
  const name = OUTCOMES.find((o) => o[0] === c.outcome)?.[1].toLowerCase() ?? "";
  return (
    <KeyedCard label="Closed">
      <Box sx={{ p: 2.5, display: "grid", gap: 1.4, justifyItems: "start" }}>
        <Box
          sx={{ fontSize: 26, fontWeight: 750, display: "flex", gap: 1, alignItems: "center" }}
          data-closed={c.outcome}
        >
          <Tick size={26} /> Closed: {name}
        </Box>
        {c.words && <span>{c.words}</span>}
        {c.watch && <span>To watch: {c.watch}</span>}
        {c.recheck && (
          <span data-recheck>
            Comes back by <b>{day(c.recheck.by)}</b>
            {c.recheck.km == null ? "" : ` or after ${distance(c.recheck.km)}`}: {c.recheck.what}
          </span>
        )}
        <Box sx={{ display: "flex", gap: 1, flexWrap: "wrap" }}>
          <Button
            variant="contained"
            onClick={() => void go(`/jobs/${job.id}/report?copy=customer`)}
            data-report="customer"
          >
            Customer’s copy
          </Button>
          <Button onClick={() => void go(`/jobs/${job.id}/report?copy=shop`)} data-report="shop">
            Shop’s copy
          </Button>
          <Button onClick={() => void go(`/jobs/${job.id}/record`)}>To the record</Button>
          <Button onClick={() => void go(`/new?from=${job.id}`)} data-back>
            Vehicle is back
          </Button>
        </Box>
      </Box>
    </KeyedCard>
  );
};

const Ending = ({ job }: { job: JobView }) => {
  const { write, busy, error, setError } = useWrite(job);
  const me = useMe();
  const go = useNavigate();
  const lastMended = [...job.parts].reverse().find((p) => p.class != null)?.class ?? "";
  const [outcome, setOutcome] = useState<Outcome>();
  const [mended, setMended] = useState(lastMended);
  const [cause, setCause] = useState<"seen" | "likely">();
  const [words, setWords] = useState("");
  const [watch, setWatch] = useState("");
  const [by, setBy] = useState("");
  const [km, setKm] = useState("");
  const [what, setWhat] = useState("");
  const names = outcome !== undefined && MENDED.includes(outcome);
  const ridden = outcome !== undefined && RIDDEN.includes(outcome);
  const unproved = toDo(job);
  const open = job.items.filter((i) => i.standing === "open").length;
  const pick = (id: Outcome) => {
    setOutcome(id);
    setError(undefined);
  };
  useCommands(
    OUTCOMES.map(([id, name], k) =>
      choice(k + 1, name, () => {
        pick(id);
      }),
    ),
  );
  const close = () => {
    if (outcome === undefined) return;
    const after = km.trim() === "" ? null : number(km);
    if (after !== null && !Number.isInteger(after)) {
      setError(`“${km}” are no ${distanceUnit()}. Write a whole number such as 200.`);
      return;
    }
    const at = instant(by);
    if (at !== null && what.trim() === "") {
      setError("Say what is looked at when it comes back.");
      return;
    }
    write([
      {
        kind: "close",
        outcome,
        class: names && mended ? mended : null,
        cause_confirmed: names && cause === "seen",
        words,
        watch,
        recheck: at === null ? null : { by: at, km: after === null ? null : kilometres(after), what },
      },
    ]);
  };
  return (
    <KeyedCard label="Hand back">
      <Box sx={{ p: 2.5, display: "grid", gap: 1.6 }}>
        <Box component="h1" sx={{ m: 0, fontSize: 24, fontWeight: 750 }}>
          How does this job end?
        </Box>
        <Box
          role="group"
          aria-label="Outcome"
          sx={{ display: "grid", gridTemplateColumns: "repeat(auto-fill, minmax(168px, 1fr))", gap: 0.8 }}
        >
          {OUTCOMES.map(([id, name], k) => (
            <Button
              key={id}
              aria-pressed={outcome === id}
              onClick={() => {
                pick(id);
              }}
              data-outcome={id}
              sx={pressed(outcome === id)}
            >
              <Digit>{k + 1}</Digit>
              {name}
            </Button>
          ))}
        </Box>
        {outcome !== undefined && (
          <>
            {ridden && unproved > 0 && (
              <Box
                sx={{ display: "flex", gap: 1.5, alignItems: "center", flexWrap: "wrap" }}
                data-held="proof"
              >
                <ErrorLine>
                  {unproved} of {job.proof.length} checks are not passed: the vehicle would be ridden.
                </ErrorLine>
                <Button onClick={() => void go(`/jobs/${job.id}/proof`)}>To the proof</Button>
              </Box>
            )}
            {!ridden && outcome !== "scrapped" && job.parts.length > 0 && <Immobilised job={job} />}
            {open > 0 && outcome !== "scrapped" && (
              <Box
                sx={{ display: "flex", gap: 1.5, alignItems: "center", flexWrap: "wrap" }}
                data-held="items"
              >
                <ErrorLine>
                  {open === 1 ? "One thing is still" : `${String(open)} things are still`} to do.
                </ErrorLine>
                <Button onClick={() => void go(`/jobs/${job.id}/repair`)}>To the open items</Button>
              </Box>
            )}
            {job.clock.minutes < 0.5 && job.clock.since == null && job.clock.others.length === 0 && (
              <Box sx={{ display: "flex", gap: 1.5, alignItems: "center", flexWrap: "wrap" }} data-no-minutes>
                <ErrorLine>No minutes are on this job: no labour is billed.</ErrorLine>
                <Button onClick={() => void go(`/jobs/${job.id}/repair?desk=minutes`)}>Enter minutes</Button>
              </Box>
            )}
            {names && (
              <Box sx={{ display: "grid", gridTemplateColumns: "1fr 1fr", gap: 1.2, alignItems: "center" }}>
                <Mends job={job} value={mended} onChange={setMended} />
                <OneOf
                  label="Cause seen with your own eyes"
                  value={cause}
                  options={[
                    ["seen", "Cause seen"],
                    ["likely", "Likely, not seen"],
                  ]}
                  onPick={setCause}
                />
              </Box>
            )}
            <Line
              label="What was wrong, in a sentence for the owner"
              name="words"
              value={words}
              onChange={setWords}
              many
            />
            <Line label="What to watch" name="watch" value={watch} onChange={setWatch} />
            <Box sx={{ display: "grid", gridTemplateColumns: "170px 130px 1fr", gap: 1.2 }}>
              <Line label="Re-check by" name="recheck" type="date" value={by} onChange={setBy} />
              <Line
                label={`or after ${distanceUnit()}`}
                name="km"
                value={km}
                onChange={setKm}
                mode="numeric"
              />
              <Line label="What is looked at then" name="recheck-what" value={what} onChange={setWhat} />
            </Box>
            {error !== undefined && <ErrorLine>{error}</ErrorLine>}
            {me.data?.role === "trainee" && <ErrorLine>A technician hands the vehicle back.</ErrorLine>}
            <Button
              variant="contained"
              disabled={busy || (names && cause === undefined)}
              onClick={close}
              data-hand-back
              sx={{ justifySelf: "start" }}
            >
              Hand back
            </Button>
          </>
        )}
      </Box>
    </KeyedCard>
  );
};

/** A touched vehicle that is not proved leaves so that it cannot run. */
const Immobilised = ({ job }: { job: JobView }) => {
  const { write, busy, error } = useWrite(job);
  const [done, setDone] = useState(false);
  return (
    <Box sx={{ display: "grid", gap: 1 }}>
      <Box sx={{ fontSize: 16 }}>
        Something was changed and the vehicle is not proved: it leaves with the pack out or the main plug
        apart, and a tag on the bar.
      </Box>
      <Button
        disabled={busy || done}
        onClick={() => {
          write([{ kind: "proof", check: "immobilised", result: "pass", typed: "", words: "tagged" }], {
            done: () => {
              setDone(true);
            },
          });
        }}
        data-immobilised
        sx={{ justifySelf: "start", gap: 1 }}
      >
        {done ? (
          <>
            <Tick /> Immobilised and tagged
          </>
        ) : (
          "Immobilised and tagged"
        )}
      </Button>
      {error !== undefined && <ErrorLine>{error}</ErrorLine>}
    </Box>
  );
};

/** The owner's operating sheet: ours to start from, the shop's words in the end. */
const OwnerSheet = ({ job }: { job: JobView }) => {
  const { write, busy, error } = useWrite(job);
  const [text, setText] = useState<string>();
  return (
    <Box component="section">
      <Heading note="printed with the report">Owner’s operating sheet</Heading>
      <Box sx={{ borderTop: `2px solid ${v("ink")}`, mt: 1 }}>
        {text === undefined ? (
          <>
            <Box component="ul" sx={{ m: 0, mt: 1, pl: 2.5, fontSize: 16, display: "grid", gap: 0.7 }}>
              {job.owner_sheet.map((l) => (
                <li key={l}>{l}</li>
              ))}
            </Box>
            {job.closed == null && (
              <Button
                onClick={() => {
                  setText(job.owner_sheet.join("\n"));
                }}
                sx={{ mt: 1.5 }}
                data-edit-sheet
              >
                Write it for this vehicle
              </Button>
            )}
          </>
        ) : (
          <Box sx={{ mt: 1.5, display: "grid", gap: 1 }}>
            <Line label="One point per line" value={text} onChange={setText} many autoFocus />
            <Box sx={{ display: "flex", gap: 1 }}>
              <Button
                disabled={busy}
                onClick={() => {
                  const lines = text
                    .split("\n")
                    .map((l) => l.trim())
                    .filter((l) => l !== "");
                  write([{ kind: "owner-sheet", lines }], {
                    done: () => {
                      setText(undefined);
                    },
                  });
                }}
                data-keep-sheet
              >
                Save
              </Button>
              <Button
                onClick={() => {
                  setText(undefined);
                }}
              >
                Cancel
              </Button>
            </Box>
            {error !== undefined && <ErrorLine>{error}</ErrorLine>}
          </Box>
        )}
      </Box>
    </Box>
  );
};
