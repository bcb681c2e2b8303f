import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import { useState } from "react";
import { useNavigate, useParams } from "react-router";
import { Refusal, type Body, type GateContact, type JobView } from "../api/client";
import { useAppend, useJob, useMe } from "../api/hooks";
import { JobLine } from "../frame/JobLine";
import { Cell, JobCell, MinutesCell, Small, TitleBlock } from "../frame/TitleBlock";
import { v } from "../theme/tokens";
import { Choice } from "../ui/Choice";
import { Line } from "../ui/form";
import { clock, dayAndTime, number4 } from "../ui/format";
import { useCommands } from "../ui/commands";
import { FigureField } from "../ui/FigureField";
import { choice, command } from "../ui/keys";
import { useKept } from "../ui/useKept";
import { OldSticker, usePutOn } from "./putOn";
import { ErrorLine, Heading, Key, KeyedCard, Lock, Tick } from "../ui/parts";

export const GatePage = () => {
  const { id = "" } = useParams();
  const job = useJob(id, "gate");
  if (!job.data)
    return (
      <Box sx={{ p: 3 }}>{job.error ? <ErrorLine>{job.error.message}</ErrorLine> : "Fetching the job"}</Box>
    );
  return <Gate job={job.data} />;
};

const Gate = ({ job }: { job: JobView }) => {
  const append = useAppend(job);
  const go = useNavigate();
  const [picked, setPicked] = useState<string>();
  const g = job.gate;
  const stopped = g.standing === "stopped" || g.standing === "quarantined";
  const passed = ["open", "grounded", "dead-first"].includes(g.standing);
  const open = g.contacts.find((c) => c.standing === "open");
  const asked = g.contacts.find((c) => c.id === picked) ?? open;
  const clear = g.contacts.filter((c) => c.standing === "clear").length;
  const answer = (c: GateContact, a: string, typed?: string, explained?: string) => {
    append.mutate([{ kind: "gate", check: c.id, answer: a, typed: typed ?? null, explained }], {
      onSuccess: () => {
        setPicked(undefined);
      },
    });
  };
  useCommands([command("gate.pass", passed ? () => void go(`/jobs/${job.id}/bench`) : undefined)]);
  return (
    <Box sx={{ minHeight: "100vh", display: "flex", flexDirection: "column" }}>
      <JobLine job={job} here="gate" />
      <TitleBlock>
        <JobCell job={job} />
        <Cell width={230} caption="Gate">
          {stopped ? "Stopped" : `${String(clear)} of ${String(g.contacts.length)} clear`}{" "}
          <Small>{stopped ? `${String(clear)} clear` : `${String(g.contacts.length - clear)} open`}</Small>
        </Cell>
        <MinutesCell job={job} />
        <Cell width={170} caption="Pack">
          {job.pack ? `sticker ${job.pack.sticker}` : "not named"}
        </Cell>
      </TitleBlock>
      {stopped ? (
        <Stopped job={job} append={append} />
      ) : (
        <Box sx={{ p: 2, display: "flex", flexDirection: "column", gap: 2, flex: 1 }}>
          <Heading note="Every contact must close. Nothing here is switched before they have.">
            Before anything is switched on
          </Heading>
          <Chain contacts={g.contacts} asked={asked?.id} onPick={setPicked} open={passed} />
          <Box
            sx={{
              display: "flex",
              gap: 2,
              flex: 1,
              alignItems: "flex-start",
              "@media (max-width: 900px)": { flexDirection: "column", alignItems: "stretch" },
            }}
          >
            <KeyedCard label="Asked now" sx={{ flex: 1, minHeight: 300 }}>
              <Box sx={{ p: 2.5 }}>
                {job.pack == null ? (
                  <NamePack job={job} append={append} />
                ) : passed && picked === undefined ? (
                  <Box sx={{ display: "grid", gap: 2, justifyItems: "start" }}>
                    <Box component="h1" sx={{ m: 0, fontSize: 26, fontWeight: 750 }}>
                      All {g.contacts.length} contacts are closed.
                    </Box>
                    <Box sx={{ fontSize: 17 }}>
                      {g.dead_first
                        ? `Locked: ${g.dead_first.why.toLowerCase()}. ${g.dead_first.caution}`
                        : "The gate stays open until the wheel, the pack or a smell changes."}
                    </Box>
                    <Button
                      variant="contained"
                      onClick={() => void go(`/jobs/${job.id}/bench`)}
                      sx={{ gap: 1 }}
                      data-to-bench
                    >
                      To the bench <Key>Enter</Key>
                    </Button>
                  </Box>
                ) : asked ? (
                  <Ask
                    key={asked.id}
                    contact={asked}
                    floors={g.floors}
                    busy={append.isPending}
                    error={append.error?.message}
                    which={append.error instanceof Refusal && append.error.code === "which-pack"}
                    onAnswer={(a, t, e) => {
                      answer(asked, a, t, e);
                    }}
                  />
                ) : null}
                {append.error && job.pack == null && <ErrorLine>{append.error.message}</ErrorLine>}
              </Box>
            </KeyedCard>
            <History job={job} />
          </Box>
        </Box>
      )}
    </Box>
  );
};

const History = ({ job }: { job: JobView }) => (
  <Box sx={{ width: 408, flex: "none", "@media (max-width: 900px)": { width: "100%" } }}>
    <Heading>Known of this pack</Heading>
    <Box sx={{ borderTop: `2px solid ${v("ink")}`, mt: 1 }}>
      {job.gate.history.length === 0 && (
        <Box sx={{ py: 1.5, fontSize: 16 }}>Nothing yet. What is found on it is kept with its sticker.</Box>
      )}
      {job.gate.history.map((h, k) => (
        <Box
          key={k}
          sx={{ display: "flex", gap: 1.2, py: 0.8, borderBottom: `1px solid ${v("rule")}`, fontSize: 15.5 }}
        >
          <Box sx={{ width: 116, flex: "none", fontWeight: 650 }}>{dayAndTime(h.at)}</Box>
          <Box sx={{ flex: 1 }}>
            {h.text}{" "}
            <Box component="span" sx={{ color: v("ink2") }}>
              job {number4(h.job)}
            </Box>
          </Box>
        </Box>
      ))}
    </Box>
    {job.bench?.next && (
      <Box sx={{ mt: 2, fontSize: 16 }}>
        <b>After the gate:</b> {job.bench.next.name}
        {job.bench.others[0] ? `, then ${job.bench.others[0].name}` : ""}.
      </Box>
    )}
  </Box>
);

type Append = ReturnType<typeof useAppend>;

const NamePack = ({ job, append }: { job: JobView; append: Append }) => {
  const last = job.last_pack ?? undefined;
  const [sticker, setSticker] = useState("");
  const put = usePutOn(job, append);
  return (
    <Box
      component="form"
      onSubmit={(e: React.FormEvent) => {
        e.preventDefault();
        void put.name(sticker.trim());
      }}
      sx={{ display: "grid", gap: 1.5, justifyItems: "start" }}
    >
      <Box sx={{ fontSize: 16 }}>
        <b style={{ color: v("copper") }}>First</b> What is found stays with the pack, and follows it into
        other jobs.
      </Box>
      <Box component="h1" sx={{ m: 0, fontSize: 27, fontWeight: 750 }}>
        Which pack is on it?
      </Box>
      <Box sx={{ width: 300 }}>
        <Line
          label="Sticker"
          name="sticker"
          autoFocus
          value={sticker}
          onChange={setSticker}
          hint="No sticker yet: put one on, K and a number."
        />
      </Box>
      <Button
        type="submit"
        variant={put.old ? "outlined" : "contained"}
        disabled={sticker.trim() === "" || append.isPending}
      >
        Name the pack
      </Button>
      {last !== undefined && (
        <Button onClick={() => void put.name(last, true)} disabled={append.isPending} data-last-pack>
          It is {last}, which was on it the last time
        </Button>
      )}
      <OldSticker put={put} busy={append.isPending} />
    </Box>
  );
};

const Ask = ({
  contact: c,
  floors,
  busy,
  error,
  which,
  onAnswer,
}: {
  contact: GateContact;
  floors: JobView["gate"]["floors"];
  busy: boolean;
  error: string | undefined;
  /** The figure would rather be another pack's: it is asked which this is. */
  which: boolean;
  onAnswer: (a: string, typed?: string, explained?: string) => void;
}) => {
  const [typed, setTyped] = useState("");
  const [explained, setExplained] = useState("");
  const keys = c.answers.map((a, k) => (a.result === "open" ? 0 : k + 1));
  const pick = (a: string) => {
    onAnswer(
      a,
      c.figure && a !== "unknown" ? typed : undefined,
      explained.trim() === "" ? undefined : explained.trim(),
    );
  };
  useCommands(
    c.answers.map((a, k) =>
      choice(
        keys[k] ?? 0,
        a.name,
        busy
          ? undefined
          : () => {
              pick(a.id);
            },
      ),
    ),
  );
  return (
    <Box sx={{ display: "grid", gap: 1.5 }}>
      <Box sx={{ fontSize: 16 }}>
        <b style={{ color: v("copper") }}>{c.name}</b>{" "}
        {c.rests === "pack" ? "is kept with the pack" : "is asked for this job"}, by {c.means}.
      </Box>
      <Box component="h1" sx={{ m: 0, fontSize: 27, fontWeight: 750 }}>
        {c.ask}
      </Box>
      {!which && <Box sx={{ fontSize: 16.5, maxWidth: 680 }}>{c.how}</Box>}
      {c.figure && (
        // Enter says it is well; the figure itself decides whether that is so
        <Box
          component="form"
          onSubmit={(e: React.FormEvent) => {
            e.preventDefault();
            if (!busy && c.answers[0]) pick(c.answers[0].id);
          }}
          sx={{ display: "flex", alignItems: "center", gap: 2 }}
        >
          <FigureField
            label="Reads, volts"
            name="floor"
            autoFocus
            value={typed}
            onChange={setTyped}
            unit="V"
            width={180}
          />
          {which && (
            <Box sx={{ flex: 1 }}>
              <Line
                label="Which pack is it: cells in series, chemistry, charger"
                name="explained"
                autoFocus
                value={explained}
                onChange={setExplained}
              />
            </Box>
          )}
          <Box sx={{ display: which ? "none" : "grid", gap: 0.5 }}>
            <span data-floors>
              {floors.length === 1 ? "Floor of " : "Floor by what is inside: "}
              {floors.map((f, k) => (
                <span key={f.of} style={{ whiteSpace: "nowrap" }}>
                  {k > 0 ? ", " : ""}
                  {f.of} <b>{f.volts.toFixed(1)} V</b>
                </span>
              ))}
            </span>
            {/* beside the figure that it is about: the answers stay in the window */}
            {error !== undefined && <ErrorLine>{error}</ErrorLine>}
          </Box>
        </Box>
      )}
      {error !== undefined && (which || !c.figure) && <ErrorLine>{error}</ErrorLine>}
      <Box
        sx={{
          display: "grid",
          gridTemplateColumns: c.answers.length > 4 ? "1fr 1fr 1fr" : "1fr 1fr",
          gap: 1,
        }}
      >
        {c.answers.map((a, k) => (
          <Choice
            key={a.id}
            name={a.name}
            hotkey={String(keys[k] ?? 0)}
            disabled={busy}
            effect={
              a.result === "clear"
                ? "passed, goes on"
                : a.result === "stop"
                  ? "stops work with this pack"
                  : "open until somebody has looked"
            }
            onPick={() => {
              pick(a.id);
            }}
          />
        ))}
      </Box>
    </Box>
  );
};

const Chain = ({
  contacts,
  asked,
  onPick,
  open,
}: {
  contacts: GateContact[];
  asked?: string;
  onPick: (id: string) => void;
  open: boolean;
}) => (
  <Box
    sx={{
      display: "flex",
      alignItems: "stretch",
      overflowX: "auto",
      pb: 0.5,
      // a second row keeps the width of the first: a contact is never stretched
      "@media (max-width: 1000px)": { display: "grid", gridTemplateColumns: "repeat(5, 1fr)", rowGap: 1.5 },
    }}
  >
    {contacts.map((c) => {
      const now = c.id === asked && !(open && c.standing === "clear");
      const closed = c.standing === "clear";
      return (
        <Box
          key={c.id}
          component="button"
          type="button"
          data-contact={c.id}
          data-standing={c.standing}
          onClick={() => {
            onPick(c.id);
          }}
          sx={{
            font: "inherit",
            color: v("ink"),
            flex: "1 0 104px",
            minHeight: 150,
            border: now ? `3px solid ${v("copperFill")}` : "3px solid transparent",
            background: now ? v("sheet") : "transparent",
            p: 0.6,
            cursor: "pointer",
            display: "flex",
            flexDirection: "column",
            alignItems: "center",
            position: "relative",
          }}
        >
          <Box
            sx={{
              fontSize: 15.5,
              fontWeight: 700,
              height: 40,
              display: "grid",
              placeItems: "center",
              lineHeight: 1.15,
            }}
          >
            {c.name}
          </Box>
          <Box sx={{ height: 20 }}>{closed && <Tick />}</Box>
          <Box
            component="svg"
            width="100%"
            height="34"
            viewBox="0 0 104 34"
            preserveAspectRatio="none"
            aria-hidden="true"
            sx={{ display: "block" }}
          >
            <path d="M0 22H34M70 22H104" stroke={closed ? v("verdigrisFill") : v("ink3")} strokeWidth="5" />
            <path
              d={closed ? "M36 22H68" : "M36 22L66 6"}
              stroke={closed ? v("verdigrisFill") : v("ink")}
              strokeWidth={closed ? 7 : 4}
            />
            <circle
              cx="35"
              cy="22"
              r="5.4"
              fill={v("paper")}
              stroke={closed ? v("verdigrisFill") : v("ink")}
              strokeWidth="2.4"
            />
            <circle
              cx="69"
              cy="22"
              r="5.4"
              fill={v("paper")}
              stroke={closed ? v("verdigrisFill") : v("ink")}
              strokeWidth="2.4"
            />
          </Box>
          <Box
            sx={{
              fontSize: 14.5,
              lineHeight: 1.2,
              textAlign: "center",
              color: now ? v("copper") : v("ink"),
              fontWeight: now ? 650 : 500,
            }}
          >
            {c.typed ? `${c.typed} V` : (c.given ?? (now ? "asked now" : "not yet"))}
          </Box>
          {c.at && (
            <Box sx={{ fontSize: 13, color: v("ink2") }}>
              {clock(c.at)} {c.by?.split(" ")[0]}
            </Box>
          )}
          <Box sx={{ fontSize: 13, color: v("ink2"), mt: "auto" }}>{c.rests === "pack" ? "pack" : "job"}</Box>
        </Box>
      );
    })}
  </Box>
);

const Stripes = () => (
  <Box
    sx={{ height: 14, background: `repeating-linear-gradient(115deg, ${v("alarm")} 0 14px, #fff 14px 28px)` }}
  />
);

const Stopped = ({ job, append }: { job: JobView; append: Append }) => {
  const g = job.gate;
  const me = useMe();
  const go = useNavigate();
  const [text, setText] = useKept(`${job.id}-clearance`);
  const [sticker, setSticker] = useState("");
  const put = usePutOn(job, append);
  const done = g.quarantine.filter((q) => q.done).length;
  const recorded = g.standing === "quarantined";
  const next = g.quarantine.find((q) => !q.done);
  // no key records these: each is something that was done, not a question to get past
  const send = (bodies: Body[]) => {
    append.mutate(bodies);
  };
  const clearable = g.stops.every((s) => s.clearable);
  return (
    <Box
      sx={{
        p: 2,
        display: "grid",
        gridTemplateColumns: "minmax(0, 1fr) minmax(0, 1.05fr)",
        "@media (max-width: 900px)": { gridTemplateColumns: "minmax(0, 1fr)" },
        gap: 2,
        alignItems: "start",
      }}
    >
      <Box>
        <Heading>{`Stopped, pack ${job.pack?.sticker ?? "not named"}`}</Heading>
        <Box sx={{ mt: 1.5 }}>
          {job.pack == null && <NamePack job={job} append={append} />}
          <Chain
            contacts={g.contacts.filter((c) => c.rests === "pack" && c.standing !== "stop")}
            onPick={() => undefined}
            open
          />
        </Box>
        <Box sx={{ fontSize: 16, mt: 1 }}>
          The finding stays with this pack, whatever vehicle it is put on.
        </Box>
      </Box>
      <Box role="alert" sx={{ background: v("alarm"), color: v("onAlarm") }} data-stop>
        <Stripes />
        <Box sx={{ p: 2.5 }}>
          <Box sx={{ display: "flex", gap: 2, alignItems: "center" }}>
            <svg width="70" height="62" viewBox="0 0 70 62" aria-hidden="true" style={{ flex: "none" }}>
              <path d="M35 0l35 62H0z" fill="#fff" />
              <path d="M35 20v22M35 48v6" stroke={v("alarm")} strokeWidth="7" />
            </svg>
            <Box sx={{ fontSize: 36, fontWeight: 750, lineHeight: 1.08 }}>{g.stops[0]?.order}</Box>
          </Box>
          <Box
            sx={{
              borderTop: "1px solid #fff",
              mt: 1.5,
              pt: 1.2,
              fontSize: 18,
              fontWeight: 600,
              display: "grid",
              gap: 0.5,
            }}
          >
            {g.stops.map((s) => (
              <span key={s.from}>{s.reason}</span>
            ))}
            <span>Locked: every test, run and charge with pack {job.pack?.sticker ?? ""}, on any job.</span>
          </Box>
          <Box sx={{ border: "2px solid #fff", mt: 1.5, p: 1.2, fontSize: 18, fontWeight: 700 }}>
            Smoke, hiss or heat: leave the room, call the fire service.
          </Box>
        </Box>
      </Box>
      <KeyedCard label="Quarantine" sx={{ minHeight: 300 }}>
        <Box sx={{ p: 2.5 }}>
          <Box sx={{ fontSize: 22, fontWeight: 750 }}>
            <b style={{ color: v("copper"), fontSize: 17 }}>{recorded ? "Done" : "Now"}</b> Quarantine pack{" "}
            {job.pack?.sticker}
          </Box>
          {g.quarantine.map((q) => (
            <Box
              key={q.id}
              sx={{
                display: "flex",
                gap: 1.5,
                alignItems: "center",
                borderBottom: `1px solid ${v("rule")}`,
                py: 1,
                minHeight: 62,
              }}
            >
              <Box sx={{ width: 24 }}>{q.done && <Tick size={22} />}</Box>
              <Box sx={{ flex: 1 }}>
                <b style={{ fontSize: 17 }}>{q.name}</b>
                <Box sx={{ fontSize: 15, color: v("ink2") }}>
                  {q.done && q.at ? `${clock(q.at)}, ${q.by ?? ""}` : q.detail}
                </Box>
              </Box>
              {!q.done && (
                <Button
                  variant={q.id === next?.id ? "contained" : "outlined"}
                  disabled={append.isPending}
                  onClick={() => {
                    send([{ kind: "quarantine", step: q.id }]);
                  }}
                >
                  Record it
                </Button>
              )}
            </Box>
          ))}
          <Box sx={{ fontSize: 16, mt: 1.2 }}>
            {done} of {g.quarantine.length} done.{" "}
            {recorded ? "Only work without this pack from here." : "Nothing else can be recorded before."}
          </Box>
          {append.error && !put.error && <ErrorLine>{append.error.message}</ErrorLine>}
        </Box>
      </KeyedCard>
      <Box>
        <Heading note="each opens once the quarantine is recorded">To go on, one of these three</Heading>
        <Way
          shut={!recorded}
          title="Another pack on this bike"
          text="Name its sticker; every contact of the gate is asked again."
        >
          <Line label="Sticker" value={sticker} disabled={!recorded} onChange={setSticker} />
          <Button
            disabled={!recorded || sticker.trim() === "" || append.isPending}
            onClick={() => void put.name(sticker.trim())}
          >
            Put it on
          </Button>
        </Way>
        <OldSticker put={put} busy={append.isPending} />
        <Way
          shut={!recorded || !clearable || me.data?.role !== "specialist"}
          title={`Written clearance of pack ${job.pack?.sticker ?? ""}`}
          text={
            !clearable
              ? "A pack with a group below its floor is never cleared."
              : me.data?.role === "specialist"
                ? "What was measured, and why it may be used."
                : "A specialist signs in, reads and writes it."
          }
        >
          <Line
            label="Clearance"
            value={text}
            disabled={!recorded || !clearable || me.data?.role !== "specialist"}
            onChange={setText}
          />
          <Button
            disabled={!recorded || text.trim().length < 10 || append.isPending}
            onClick={() => {
              send([{ kind: "clearance", text }]);
            }}
          >
            Clear it
          </Button>
        </Way>
        <Way
          shut={!recorded}
          title="Hand back without it"
          text="Made safe, declined, referred or scrapped; pack to its maker or the waste handler."
        >
          <Button disabled={!recorded} onClick={() => void go(`/jobs/${job.id}/repair`)}>
            To the hand-back
          </Button>
        </Way>
      </Box>
    </Box>
  );
};

const Way = ({
  shut,
  title,
  text,
  children,
}: {
  shut: boolean;
  title: string;
  text: string;
  children: React.ReactNode;
}) => (
  <Box
    sx={{
      border: `1.5px ${shut ? "dashed" : "solid"} ${v("ink3")}`,
      p: 1.2,
      mt: 1,
      display: "flex",
      gap: 1.5,
      alignItems: "center",
    }}
  >
    <Box sx={{ flex: 1, minWidth: 0 }}>
      <Box
        sx={{ display: "flex", gap: 1, alignItems: "center", fontSize: 17, fontWeight: 700, lineHeight: 1.2 }}
      >
        {shut && <Lock size={18} />}
        {title}
      </Box>
      <Box sx={{ fontSize: 14.5, color: v("ink2"), lineHeight: 1.25, mt: 0.3 }}>{text}</Box>
    </Box>
    <Box
      sx={{
        display: "flex",
        gap: 1,
        alignItems: "center",
        width: 300,
        justifyContent: "flex-end",
        "& button": { whiteSpace: "nowrap" },
      }}
    >
      {children}
    </Box>
  </Box>
);
