import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import { useState } from "react";
import { useNavigate } from "react-router";
import type { JobView, OpenItem } from "../api/client";
import { useMe } from "../api/hooks";
import { v } from "../theme/tokens";
import { Line } from "../ui/form";
import { clock } from "../ui/format";
import { ErrorLine, Heading, Key, KeyedCard, Lock, Tick } from "../ui/parts";
import { useWrite } from "./useWrite";
import { toDo } from "../proof/standing";

/** What holds the hand-back: contacts in series. The first open one is what is done now. */
export const Holds = ({ job }: { job: JobView }) => {
  const [picked, setPicked] = useState<string>();
  const open = job.items.filter((i) => i.standing === "open");
  const now = open.find((i) => i.key === picked) ?? open[0];
  const left = toDo(job);
  return (
    <Box component="section" sx={{ display: "grid", gap: 1.5 }}>
      <Heading note={open.length === 0 ? "nothing left to do" : `${String(open.length)} open`}>
        Holds the hand-back
      </Heading>
      <Box sx={{ borderTop: `2px solid ${v("ink")}` }}>
        {job.items.map((i) => (
          <Item
            key={i.key}
            item={i}
            now={i.key === now?.key && job.closed == null}
            onPick={() => {
              setPicked(i.key);
            }}
          />
        ))}
        <Box sx={row}>
          <Contact closed={left === 0} />
          <Box sx={{ flex: 1 }}>
            <b>Proof</b>
            <Box sx={{ fontSize: 15, color: v("ink2") }}>
              {left === 0 ? "everything is closed" : `${String(left)} of ${String(job.proof.length)} to do`}
            </Box>
          </Box>
        </Box>
      </Box>
      {job.closed == null && (
        <KeyedCard label={now ? `Close: ${now.name}` : "To the proof"}>
          {now ? <Close key={now.key} job={job} item={now} /> : <Next job={job} left={left} />}
        </KeyedCard>
      )}
    </Box>
  );
};

/** Nothing is open: what comes next depends on the quote, the parts and the proof. */
const Next = ({ job, left }: { job: JobView; left: number }) => {
  const go = useNavigate();
  const asked = job.quotes.some((q) => q.open);
  const untouched = job.parts.length === 0;
  const [words, button, to] = asked
    ? ["The quote waits for its answer.", undefined, ""]
    : untouched
      ? ["Nothing is changed yet. Write the part, or hand it back.", "To the hand-back", "hand-back"]
      : left > 0
        ? ["Nothing left to do. On to the proof.", "To the proof", "proof"]
        : ["Proved. Hand it back.", "To the hand-back", "hand-back"];
  return (
    <Box sx={{ p: 2, display: "grid", gap: 1.2, justifyItems: "start" }}>
      <Box component="h1" sx={{ m: 0, fontSize: 23, fontWeight: 750, lineHeight: 1.2, pr: 2 }}>
        {words}
      </Box>
      {asked && <span>Its answer is written under Quotes.</span>}
      {button !== undefined && (
        <Button
          variant={untouched ? "outlined" : "contained"}
          onClick={() => void go(`/jobs/${job.id}/${to}`)}
          data-to-proof
          sx={{ gap: 1 }}
        >
          {button} {to === "proof" && <Key>P</Key>}
        </Button>
      )}
    </Box>
  );
};

const row = {
  display: "flex",
  gap: 1,
  alignItems: "center",
  minHeight: 62,
  py: 0.4,
  px: 0.6,
  borderBottom: `1px solid ${v("ruleStrong")}`,
} as const;

const Contact = ({ closed }: { closed: boolean }) => (
  <svg width="26" height="52" viewBox="0 0 26 52" aria-hidden="true" style={{ flex: "none" }}>
    <path d="M11 0v10M11 42v10" stroke={closed ? v("verdigrisFill") : v("ink3")} strokeWidth="4" />
    {closed ? (
      <path d="M11 13v26" stroke={v("verdigrisFill")} strokeWidth="6" />
    ) : (
      <path d="M11 38L23 17" stroke={v("ink")} strokeWidth="3" />
    )}
    {[13, 39].map((y) => (
      <circle
        key={y}
        cx="11"
        cy={y}
        r="4"
        fill={v("paper")}
        stroke={closed ? v("verdigrisFill") : v("ink3")}
        strokeWidth="2.4"
      />
    ))}
  </svg>
);

const Item = ({ item: i, now, onPick }: { item: OpenItem; now: boolean; onPick: () => void }) => {
  const open = i.standing === "open";
  return (
    <Box
      component="button"
      type="button"
      disabled={!open}
      onClick={onPick}
      data-item={i.key}
      data-standing={i.standing}
      sx={{
        ...row,
        font: "inherit",
        fontSize: 16,
        color: v("ink"),
        width: "100%",
        textAlign: "left",
        background: "transparent",
        border: 0,
        borderBottom: `1px solid ${v("ruleStrong")}`,
        cursor: open ? "pointer" : "default",
        ...(now ? { outline: `3px solid ${v("copperFill")}`, outlineOffset: "-3px" } : {}),
      }}
    >
      <Contact closed={!open} />
      <Box sx={{ flex: 1, minWidth: 0 }}>
        <Box sx={{ display: "flex", gap: 0.8, alignItems: "center", fontWeight: 700, fontSize: 17 }}>
          {!open && <Tick size={17} />} {i.name}
        </Box>
        <Box sx={{ fontSize: 15, color: v("ink2") }}>
          {open
            ? i.what
            : `${i.standing === "excepted" ? "left out: " : ""}${i.how}${i.at ? `, ${clock(i.at)}` : ""}`}
        </Box>
      </Box>
      {open && !i.may_except && <Lock size={18} />}
    </Box>
  );
};

const Close = ({ job, item }: { job: JobView; item: OpenItem }) => {
  const { write, busy, error } = useWrite(job);
  const me = useMe();
  const [how, setHow] = useState("");
  const [reason, setReason] = useState<string>();
  const go = useNavigate();
  const plug = item.key.startsWith("plug.") ? item.key.slice("plug.".length) : undefined;
  const may = item.may_except && (me.data?.role === "technician" || me.data?.role === "specialist");
  return (
    <Box
      component="form"
      onSubmit={(e: React.FormEvent) => {
        e.preventDefault();
        write([{ kind: "close-item", item: item.key, how: how.trim() }]);
      }}
      sx={{ p: 2, display: "grid", gap: 1.2 }}
      data-close-item={item.key}
    >
      <Box sx={{ fontSize: 16 }}>
        <b style={{ color: v("copper") }}>Now</b> {item.what}
      </Box>
      <Box component="h1" sx={{ m: 0, fontSize: 23, fontWeight: 750, lineHeight: 1.15 }}>
        {item.name}
      </Box>
      <Box sx={{ fontSize: 16 }}>{item.detail}</Box>
      {!item.by_state && <Line label="How it was closed" name="how" value={how} onChange={setHow} />}
      <Box sx={{ display: "flex", gap: 1, flexWrap: "wrap" }}>
        {!item.by_state && (
          <Button type="submit" variant="contained" disabled={busy || how.trim() === ""} data-close-send>
            Closed
          </Button>
        )}
        {plug !== undefined && (
          <Button
            type="button"
            variant="contained"
            disabled={busy}
            onClick={() => {
              const apart = (job.state.apart ?? []).filter((p) => p !== plug);
              write([{ kind: "state", state: { ...job.state, apart } }]);
            }}
            data-joined={plug}
          >
            It is joined
          </Button>
        )}
        {item.key.startsWith("named.") && (
          <Button
            type="button"
            variant="contained"
            onClick={() => void go(`/jobs/${job.id}/intake`)}
            data-name-it={item.key}
          >
            Name it at the intake
          </Button>
        )}
        {may && reason === undefined && (
          <Button
            type="button"
            onClick={() => {
              setReason("");
            }}
          >
            Leave out, with a reason
          </Button>
        )}
      </Box>
      {reason !== undefined && (
        <Box sx={{ display: "grid", gap: 1 }}>
          <Line label="Why, prints on the report" value={reason} onChange={setReason} autoFocus />
          <Button
            type="button"
            disabled={busy || reason.trim().length < 5}
            onClick={() => {
              write([{ kind: "except", what: item.key, reason: reason.trim() }]);
            }}
            sx={{ justifySelf: "start" }}
          >
            Leave it out
          </Button>
        </Box>
      )}
      {!item.may_except && (
        <Box sx={{ display: "flex", gap: 1, fontSize: 15, alignItems: "center" }}>
          <Lock size={16} /> This cannot be left out.
        </Box>
      )}
      {error !== undefined && <ErrorLine>{error}</ErrorLine>}
    </Box>
  );
};
