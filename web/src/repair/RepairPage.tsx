import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import TextField from "@mui/material/TextField";
import { useState } from "react";
import { useNavigate, useParams, useSearchParams } from "react-router";
import type { Body, JobView, Outcome } from "../api/client";
import { useAppend, useChoices, useJob } from "../api/hooks";
import { JobLine } from "../frame/JobLine";
import { Cell, JobCell, MinutesCell, TitleBlock } from "../frame/TitleBlock";
import { v } from "../theme/tokens";
import { cents, minutes, money, when } from "../ui/format";
import { ErrorLine, Heading, KeyedCard, Tick } from "../ui/parts";

export const RepairPage = () => {
  const { id = "" } = useParams();
  const job = useJob(id);
  if (!job.data)
    return (
      <Box sx={{ p: 3 }}>{job.error ? <ErrorLine>{job.error.message}</ErrorLine> : "Fetching the job"}</Box>
    );
  return <Repair job={job.data} />;
};

const FATES = [
  ["returned", "Returned"],
  ["kept", "Kept"],
  ["recycled", "Recycled"],
  ["hazardous-waste", "Hazardous waste"],
] as const;

const OUTCOMES: [Outcome, string][] = [
  ["repaired", "Repaired"],
  ["made-safe", "Made safe"],
  ["declined", "Declined"],
  ["referred", "Referred"],
  ["no-fault-found", "No fault found"],
  ["handed-back-as-is", "Handed back as is"],
  ["scrapped", "Scrapped"],
];

const select = {
  font: "inherit",
  fontSize: 16,
  height: 46,
  width: "100%",
  border: `1.5px solid ${v("ink")}`,
  borderRadius: "3px",
  background: v("sheet"),
  color: v("ink"),
  px: 1,
} as const;

const Repair = ({ job }: { job: JobView }) => {
  const append = useAppend(job);
  const choices = useChoices();
  const go = useNavigate();
  const [params] = useSearchParams();
  const first = params.get("class") ?? job.bench.suspects[0]?.class ?? "";
  const closed = job.closed ?? undefined;
  const [old, setOld] = useState("");
  const [fate, setFate] = useState("");
  const [fresh, setFresh] = useState("");
  const [price, setPrice] = useState("");
  const [mins, setMins] = useState("");
  const [mends, setMends] = useState(first);
  const [error, setError] = useState<string>();
  const [outcome, setOutcome] = useState<Outcome | undefined>();
  const [mended, setMended] = useState(first);
  const [confirmed, setConfirmed] = useState<boolean | undefined>();
  const [words, setWords] = useState("");
  const [extra, setExtra] = useState("");
  const [extraWhat, setExtraWhat] = useState("");
  const name = (id: string | null | undefined) =>
    choices.data?.classes.find((c) => c.id === id)?.name ?? id ?? "";
  const listed = job.bench.suspects.map((s) => ({ id: s.class, name: `${s.name}, ${String(s.percent)} %` }));
  const rest = (choices.data?.classes ?? []).filter((c) => !listed.some((l) => l.id === c.id));
  const send = (bodies: Body[], done: () => void) => {
    setError(undefined);
    append.mutate(bodies, {
      onSuccess: done,
      onError: (e) => {
        setError(e.message);
      },
    });
  };
  const addPart = () => {
    const amount = price.trim() === "" ? null : cents(price);
    if (price.trim() !== "" && amount === null) {
      setError(`“${price}” is no price. Write it as 12 or 12.50.`);
      return;
    }
    const spent = Number(mins.replace(",", "."));
    if (mins.trim() === "" || !Number.isFinite(spent)) {
      setError("Say how many minutes it took.");
      return;
    }
    send(
      [
        {
          kind: "part",
          old: old.trim() || null,
          fate: (fate || null) as never,
          new: fresh.trim() || null,
          class: mends || null,
          minutes: spent,
          price_cents: amount,
        },
      ],
      () => {
        setOld("");
        setFresh("");
        setPrice("");
        setMins("");
        setFate("");
      },
    );
  };
  const total = job.parts.reduce((n, p) => n + (p.price_cents ?? 0), 0);
  return (
    <Box sx={{ minHeight: "100vh", display: "flex", flexDirection: "column" }}>
      <JobLine job={job} here="repair" />
      <TitleBlock>
        <JobCell job={job} />
        <MinutesCell job={job} />
        <Cell width={200} caption="Parts so far">
          {money(total)}
        </Cell>
        <Cell width={200} caption="Agreed limit">
          {job.limit_cents == null ? "none" : money(job.limit_cents)}
        </Cell>
      </TitleBlock>
      <Box
        sx={{
          p: 2,
          display: "grid",
          gridTemplateColumns: "minmax(0, 1.15fr) minmax(0, 1fr)",
          gap: 3,
          alignItems: "start",
        }}
      >
        <Box>
          <Heading note="old part, what becomes of it, new part">Out and in</Heading>
          <Box sx={{ borderTop: `2px solid ${v("ink")}`, mt: 1 }}>
            {job.parts.length === 0 && <Box sx={{ py: 1.5, fontSize: 16 }}>No part changed yet.</Box>}
            {job.parts.map((p) => (
              <Box
                key={p.entry}
                data-part
                sx={{
                  display: "grid",
                  gridTemplateColumns: "1fr 24px 1fr 64px 84px",
                  gap: 1,
                  alignItems: "center",
                  minHeight: 52,
                  borderBottom: `1px solid ${v("ruleStrong")}`,
                  py: 0.6,
                }}
              >
                <Box>
                  <b>{p.old ?? "nothing out"}</b>
                  <Box sx={{ fontSize: 14.5, color: v("ink2") }}>{p.fate}</Box>
                </Box>
                <svg width="24" height="14" aria-hidden="true">
                  <path d="M0 7h16" stroke={v("ink")} strokeWidth="2.4" />
                  <path d="M14 1l9 6-9 6z" fill={v("ink")} />
                </svg>
                <Box>
                  <b>{p.new ?? "nothing in"}</b>
                  <Box sx={{ fontSize: 14.5, color: v("ink2") }}>{name(p.class)}</Box>
                </Box>
                <Box sx={{ textAlign: "right" }}>{minutes(p.minutes)} min</Box>
                <Box sx={{ textAlign: "right" }}>{p.price_cents == null ? "" : money(p.price_cents)}</Box>
              </Box>
            ))}
          </Box>
          {!closed && (
            <Box
              component="form"
              onSubmit={(e: React.FormEvent) => {
                e.preventDefault();
                addPart();
              }}
              sx={{ mt: 2, display: "grid", gridTemplateColumns: "1fr 1fr", gap: 1.4 }}
            >
              <TextField
                size="small"
                label="Part out"
                name="old"
                value={old}
                onChange={(e) => {
                  setOld(e.target.value);
                }}
              />
              <Box
                component="select"
                aria-label="What becomes of it"
                name="fate"
                value={fate}
                onChange={(e: React.ChangeEvent<HTMLSelectElement>) => {
                  setFate(e.target.value);
                }}
                sx={select}
              >
                <option value="">What becomes of it …</option>
                {FATES.map(([id, n]) => (
                  <option key={id} value={id}>
                    {n}
                  </option>
                ))}
              </Box>
              <TextField
                size="small"
                label="Part in"
                name="new"
                value={fresh}
                onChange={(e) => {
                  setFresh(e.target.value);
                }}
              />
              <Box
                component="select"
                aria-label="Mends which suspect"
                value={mends}
                onChange={(e: React.ChangeEvent<HTMLSelectElement>) => {
                  setMends(e.target.value);
                }}
                sx={select}
              >
                <option value="">Mends which suspect …</option>
                {[...listed, ...rest].map((c) => (
                  <option key={c.id} value={c.id}>
                    {c.name}
                  </option>
                ))}
              </Box>
              <TextField
                size="small"
                label="Minutes"
                name="minutes"
                value={mins}
                onChange={(e) => {
                  setMins(e.target.value);
                }}
              />
              <TextField
                size="small"
                label="Price, €"
                name="price"
                value={price}
                onChange={(e) => {
                  setPrice(e.target.value);
                }}
              />
              <Button
                type="submit"
                disabled={append.isPending || (old.trim() === "" && fresh.trim() === "")}
                data-add-part
              >
                Part out, in
              </Button>
            </Box>
          )}
          {outcome === undefined && error !== undefined && <ErrorLine>{error}</ErrorLine>}
          {!closed && (
            <Box
              component="form"
              onSubmit={(e: React.FormEvent) => {
                e.preventDefault();
                send(
                  [
                    {
                      kind: "minutes",
                      minutes: Number(extra.replace(",", ".").replace("−", "-")),
                      what: extraWhat,
                    },
                  ],
                  () => {
                    setExtra("");
                    setExtraWhat("");
                  },
                );
              }}
              sx={{
                mt: 3,
                display: "grid",
                gridTemplateColumns: "160px 1fr auto",
                gap: 1.4,
                alignItems: "center",
              }}
            >
              <TextField
                size="small"
                label="More minutes"
                value={extra}
                onChange={(e) => {
                  setExtra(e.target.value);
                }}
              />
              <TextField
                size="small"
                label="What for"
                value={extraWhat}
                onChange={(e) => {
                  setExtraWhat(e.target.value);
                }}
              />
              <Button
                type="submit"
                disabled={
                  append.isPending ||
                  extra.trim() === "" ||
                  extraWhat.trim() === "" ||
                  !Number.isFinite(Number(extra.replace(",", ".").replace("−", "-")))
                }
              >
                Add
              </Button>
            </Box>
          )}
          {!closed && <Waiting job={job} busy={append.isPending} send={send} />}
        </Box>
        <KeyedCard label="Hand back">
          <Box sx={{ p: 2.5, display: "grid", gap: 1.4 }}>
            {closed ? (
              <>
                <Box
                  sx={{ fontSize: 24, fontWeight: 750, display: "flex", gap: 1, alignItems: "center" }}
                  data-closed={closed.outcome}
                >
                  <Tick size={26} /> Closed:{" "}
                  {OUTCOMES.find((o) => o[0] === closed.outcome)?.[1].toLowerCase()}
                </Box>
                <span>
                  {closed.class
                    ? `Mended: ${name(closed.class)}, cause ${closed.cause_confirmed ? "confirmed" : "not confirmed"}.`
                    : ""}{" "}
                  {closed.words}
                </span>
                <Button variant="contained" onClick={() => void go(`/jobs/${job.id}/record`)}>
                  To the record
                </Button>
              </>
            ) : (
              <>
                <Box sx={{ fontSize: 22, fontWeight: 750 }}>How does it end?</Box>
                <Box sx={{ display: "grid", gridTemplateColumns: "1fr 1fr", gap: 0.8 }}>
                  {OUTCOMES.map(([id, n]) => (
                    <Button
                      key={id}
                      aria-pressed={outcome === id}
                      onClick={() => {
                        setOutcome(id);
                      }}
                      data-outcome={id}
                      sx={
                        outcome === id
                          ? { background: v("ink"), color: v("sheet"), "&:hover": { background: v("ink2") } }
                          : {}
                      }
                    >
                      {n}
                    </Button>
                  ))}
                </Box>
                {outcome !== undefined && (
                  <>
                    {["repaired", "made-safe"].includes(outcome) && (
                      <>
                        <Box
                          component="select"
                          aria-label="Which suspect was mended"
                          value={mended}
                          onChange={(e: React.ChangeEvent<HTMLSelectElement>) => {
                            setMended(e.target.value);
                          }}
                          sx={select}
                        >
                          <option value="">Which suspect was mended …</option>
                          {[...listed, ...rest].map((c) => (
                            <option key={c.id} value={c.id}>
                              {c.name}
                            </option>
                          ))}
                        </Box>
                        <Box sx={{ display: "flex", gap: 0.8, alignItems: "center", fontSize: 17 }}>
                          Cause seen with your own eyes?
                          {(
                            [
                              ["Confirmed", true],
                              ["Only likely", false],
                            ] as const
                          ).map(([n, yes]) => (
                            <Button
                              key={n}
                              aria-pressed={confirmed === yes}
                              onClick={() => {
                                setConfirmed(yes);
                              }}
                              data-cause={n}
                              sx={{
                                ...(confirmed === yes
                                  ? {
                                      background: v("ink"),
                                      color: v("sheet"),
                                      "&:hover": { background: v("ink2") },
                                    }
                                  : {}),
                              }}
                            >
                              {n}
                            </Button>
                          ))}
                        </Box>
                      </>
                    )}
                    <TextField
                      label="In a sentence, for the owner"
                      name="words"
                      multiline
                      minRows={2}
                      value={words}
                      onChange={(e) => {
                        setWords(e.target.value);
                      }}
                    />
                    <Box sx={{ fontSize: 15 }}>
                      Before it leaves: levers cut the drive, throttle comes home, brakes hold, axle tight,
                      own fuse in.
                    </Box>
                    {error !== undefined && <ErrorLine>{error}</ErrorLine>}
                    <Button
                      variant="contained"
                      disabled={
                        append.isPending ||
                        (["repaired", "made-safe"].includes(outcome) && confirmed === undefined)
                      }
                      data-hand-back
                      onClick={() => {
                        const names = ["repaired", "made-safe"].includes(outcome);
                        send(
                          [
                            {
                              kind: "close",
                              outcome,
                              class: names && mended ? mended : null,
                              cause_confirmed: names && confirmed === true,
                              words,
                            },
                          ],
                          () => undefined,
                        );
                      }}
                    >
                      Close the job
                    </Button>
                  </>
                )}
              </>
            )}
          </Box>
        </KeyedCard>
      </Box>
    </Box>
  );
};

const WAITS = [
  ["part", "a part on order"],
  ["charge", "a charge"],
  ["cure", "curing or drying"],
  ["rest", "a pack at rest"],
  ["customer", "the customer’s word"],
] as const;

/** The job waits: it moves to the rack's lower rail until the wait is over. */
const Waiting = ({
  job,
  busy,
  send,
}: {
  job: JobView;
  busy: boolean;
  send: (bodies: Body[], done: () => void) => void;
}) => {
  const [kind, setKind] = useState<(typeof WAITS)[number][0]>("part");
  const [what, setWhat] = useState("");
  const [until, setUntil] = useState("");
  if (job.waiting)
    return (
      <Box sx={{ mt: 3, display: "flex", gap: 1.5, alignItems: "center", fontSize: 17 }} data-waiting>
        <span>
          Waits for {WAITS.find((w) => w[0] === job.waiting?.kind)?.[1]}: <b>{job.waiting.what}</b>
          {job.waiting.until ? `, until ${when(job.waiting.until, job.now)}` : ""}
        </span>
        <Button
          disabled={busy}
          onClick={() => {
            send([{ kind: "resume" }], () => undefined);
          }}
        >
          The wait is over
        </Button>
      </Box>
    );
  return (
    <Box
      component="form"
      onSubmit={(e: React.FormEvent) => {
        e.preventDefault();
        send([{ kind: "wait", wait: kind, what, until: until === "" ? null : `${until}:00Z` }], () => {
          setWhat("");
          setUntil("");
        });
      }}
      sx={{
        mt: 3,
        display: "grid",
        gridTemplateColumns: "190px 1fr 200px",
        gap: 1.4,
        alignItems: "center",
      }}
    >
      <Box
        component="select"
        aria-label="Waits for"
        value={kind}
        onChange={(e: React.ChangeEvent<HTMLSelectElement>) => {
          setKind(e.target.value as typeof kind);
        }}
        sx={select}
      >
        {WAITS.map(([id, n]) => (
          <option key={id} value={id}>
            {n}
          </option>
        ))}
      </Box>
      <TextField
        size="small"
        sx={{ gridColumn: "span 2" }}
        label="Waits for what"
        value={what}
        onChange={(e) => {
          setWhat(e.target.value);
        }}
      />
      <span />
      <TextField
        size="small"
        label="Until, if known"
        type="datetime-local"
        value={until}
        slotProps={{ inputLabel: { shrink: true } }}
        onChange={(e) => {
          setUntil(e.target.value);
        }}
      />
      <Button type="submit" disabled={busy || what.trim() === ""} data-wait>
        Let it wait
      </Button>
    </Box>
  );
};
