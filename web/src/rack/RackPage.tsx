import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import { useRef, useState, type ReactNode } from "react";
import useMediaQuery from "@mui/material/useMediaQuery";
import { useNavigate } from "react-router";
import type { ClosedTicket, RecheckTicket, Ticket } from "../api/client";
import { useRack } from "../api/hooks";
import { OutboxCell } from "../outbox/OutboxCell";
import { PersonButton } from "../people/PersonButton";
import { v } from "../theme/tokens";
import { Mark } from "../ui/Mark";
import { SmallStrip, stripWords } from "../ui/SmallStrip";
import { day, dayTime, minutes, number4, span, when } from "../ui/format";
import { useCommands } from "../ui/commands";
import { choice, command } from "../ui/keys";
import { Disc, ErrorLine, Heading, Key, Tick, Triangle } from "../ui/parts";
import { ImportButton } from "./ImportButton";

const STAGE: Record<string, { name: string; to: string }> = {
  gate: { name: "Gate", to: "gate" },
  quarantine: { name: "Quarantine", to: "gate" },
  bench: { name: "Bench", to: "bench" },
  repair: { name: "Repair", to: "repair" },
  proof: { name: "Proof", to: "proof" },
  closed: { name: "Closed", to: "record" },
};

const path = (t: Ticket): string => `/jobs/${t.id}/${STAGE[t.stage]?.to ?? "bench"}`;

export const RackPage = () => {
  const [find, setFind] = useState("");
  const rack = useRack(find);
  const go = useNavigate();
  const field = useRef<HTMLInputElement>(null);
  useCommands([
    command("rack.find", () => field.current?.focus()),
    command("rack.new", () => void go("/new")),
    // the number on a ticket opens it
    ...(rack.data?.workable ?? [])
      .slice(0, 9)
      .map((t, k) =>
        choice(k + 1, `${number4(t.number)}, ${t.vehicle || "not named"}`, () => void go(path(t))),
      ),
  ]);
  const r = rack.data;
  return (
    <Box sx={{ minHeight: "100vh", display: "flex", flexDirection: "column" }}>
      <Box
        component="header"
        sx={{
          minHeight: 52,
          display: "flex",
          gap: 1.2,
          alignItems: "center",
          px: 2,
          borderBottom: `1.5px solid ${v("ink")}`,
        }}
      >
        <Mark />
        <Box sx={{ fontSize: 20, fontWeight: 750, "@media (max-width: 1000px)": { display: "none" } }}>
          Spannung
        </Box>
        <Box
          component="label"
          sx={{
            flex: 1,
            display: "flex",
            alignItems: "center",
            gap: 1,
            height: 46,
            border: `1.5px solid ${v("ink")}`,
            borderRadius: "3px",
            background: v("sheet"),
            px: 1.5,
            ml: 2,
          }}
        >
          <Box
            component="input"
            ref={field}
            value={find}
            onChange={(e: React.ChangeEvent<HTMLInputElement>) => {
              setFind(e.target.value);
            }}
            onKeyDown={(e: React.KeyboardEvent) => {
              if (e.key === "Escape") setFind("");
            }}
            placeholder="Find a job, a name, a vehicle"
            aria-label="Find a job, a name, a vehicle"
            sx={{
              flex: 1,
              minWidth: 0,
              font: "inherit",
              fontSize: 17,
              border: 0,
              background: "transparent",
              color: v("ink"),
              "&:focus-visible": { outline: "none !important" },
            }}
          />
          <Key>F</Key>
        </Box>
        <Button onClick={() => void go("/new")} sx={{ height: 46, minHeight: 46, gap: 1 }} data-new-job>
          New job <Key>J</Key>
        </Button>
        <ImportButton />
        <OutboxCell />
        <PersonButton />
      </Box>
      {rack.error && !r && (
        <Box sx={{ p: 3 }}>
          <ErrorLine>{rack.error.message}</ErrorLine>
        </Box>
      )}
      {r && (
        <>
          <Box
            sx={{
              px: 2,
              pt: 1.5,
              pb: 1.2,
              display: "flex",
              justifyContent: "space-between",
              alignItems: "baseline",
            }}
          >
            <Heading
              note={`${String(r.workable.length)} of ${String(r.open)} jobs, the least spare time before a promise first`}
            >
              {find ? `Found for “${find}”` : "Can be worked on now"}
            </Heading>
            <Box sx={{ fontSize: 21, fontWeight: 700 }}>{dayTime(r.now)}</Box>
          </Box>
          <Box sx={{ height: 5, background: v("ink"), flex: "none" }} />
          {r.workable.length === 0 ? (
            <Box sx={{ m: 2, mt: 4, p: 3, border: `1.5px dashed ${v("ink3")}`, maxWidth: 520, fontSize: 18 }}>
              {find
                ? "No job matches these words."
                : "No open job. A new one starts with what the customer says."}
              {!find && (
                <Box sx={{ mt: 2 }}>
                  <Button variant="contained" onClick={() => void go("/new")}>
                    New job
                  </Button>
                </Box>
              )}
            </Box>
          ) : (
            <Box sx={{ px: 2, display: "flex", gap: 1.25, alignItems: "flex-start", flexWrap: "wrap" }}>
              {r.workable.slice(0, 4).map((t, k) => (
                <Hanging key={t.id} ticket={t} rank={k + 1} now={r.now} first={k === 0 && !find} />
              ))}
            </Box>
          )}
          {r.workable.length > 4 && (
            <Box sx={{ px: 2, mt: 5 }}>
              {r.workable.slice(4).map((t, k) => (
                <RowTicket key={t.id} ticket={t} rank={k + 5} now={r.now} />
              ))}
            </Box>
          )}
          <Lower
            title="Waiting"
            note={`${String(r.waiting.length)} jobs, in the order they come free`}
            empty="Nothing waits for a part, a charge or a word."
          >
            {r.waiting.map((t) => (
              <WaitTag key={t.id} ticket={t} now={r.now} />
            ))}
          </Lower>
          {!find && r.rechecks.length > 0 && (
            <Box sx={{ px: 2, pb: 3 }} data-rechecks>
              <Heading note="vehicles that are to come back, in the order they are due">
                To be looked at again
              </Heading>
              <Box sx={{ borderTop: `2px solid ${v("ink")}`, mt: 1 }}>
                {r.rechecks.map((t) => (
                  <RecheckRow key={t.id} ticket={t} />
                ))}
              </Box>
            </Box>
          )}
          {find && r.closed.length > 0 && (
            <Box sx={{ px: 2, pb: 3 }}>
              <Heading>Closed</Heading>
              {r.closed.map((t) => (
                <ClosedRow key={t.id} ticket={t} />
              ))}
            </Box>
          )}
        </>
      )}
    </Box>
  );
};

const Hanging = ({
  ticket: t,
  rank,
  now,
  first,
}: {
  ticket: Ticket;
  rank: number;
  now: string;
  first: boolean;
}) => {
  const go = useNavigate();
  // on a tablet upright two share a row
  const narrow = useMediaQuery("(max-width: 900px)");
  const width = narrow ? "calc(50% - 5px)" : first ? 360 : 278;
  const edge = first ? v("copperFill") : v("ink");
  const [one, two] = stripWords(t.segments);
  const cut = first ? 20 : 16;
  return (
    <Box sx={{ width, flex: "none", position: "relative", pt: "26px" }}>
      <Box sx={{ position: "absolute", top: 0, left: "50%", width: 3, height: 30, background: v("ink") }} />
      <Box
        component="button"
        type="button"
        data-ticket={t.number}
        onClick={() => void go(path(t))}
        sx={{
          position: "relative",
          font: "inherit",
          color: v("ink"),
          textAlign: "left",
          width: "100%",
          minHeight: (narrow ? 352 : first ? 334 : 312) + (t.comeback != null || t.over ? 28 : 0),
          border: 0,
          p: 0,
          cursor: "pointer",
          background: edge,
          clipPath: `polygon(${String(cut)}px 0, calc(100% - ${String(cut)}px) 0, 100% ${String(cut)}px, 100% 100%, 0 100%, 0 ${String(cut)}px)`,
        }}
      >
        <Box
          sx={{
            position: "absolute",
            inset: first ? "3px" : "1.5px",
            background: v("sheet"),
            clipPath: `polygon(${String(cut - 1)}px 0, calc(100% - ${String(cut - 1)}px) 0, 100% ${String(cut - 1)}px, 100% 100%, 0 100%, 0 ${String(cut - 1)}px)`,
            p: 2,
            pt: 1.2,
            display: "flex",
            flexDirection: "column",
          }}
        >
          <Box
            sx={{
              alignSelf: "center",
              width: 14,
              height: 14,
              flex: "none",
              borderRadius: "50%",
              border: `2px solid ${v("ink")}`,
              background: v("paper"),
              mb: 0.6,
            }}
          />
          <Box sx={{ display: "flex", alignItems: "center", gap: 1 }}>
            <Disc>{rank}</Disc>
            <b style={{ fontSize: 21 }}>{number4(t.number)}</b>
            <Box sx={{ flex: 1, textAlign: "right", fontSize: 15, color: v("ink2") }}>{t.kind}</Box>
          </Box>
          <Box
            sx={{
              fontSize: first ? 20 : 18,
              fontWeight: 700,
              lineHeight: 1.3,
              flex: "none",
              mt: 0.6,
              whiteSpace: "nowrap",
              overflow: "hidden",
              textOverflow: "ellipsis",
            }}
          >
            {t.vehicle}
          </Box>
          <Box
            sx={{
              fontSize: 15,
              color: v("ink2"),
              flex: "none",
              lineHeight: 1.3,
              display: "-webkit-box",
              WebkitLineClamp: 2,
              WebkitBoxOrient: "vertical",
              overflow: "hidden",
              minHeight: 39,
            }}
          >
            “{t.words}”
          </Box>
          {t.segments.length > 0 ? (
            <>
              <Box sx={{ mt: 0.5 }}>
                <SmallStrip segments={t.segments} width={first ? 322 : 243} tall fill={narrow} />
              </Box>
              <Box sx={{ display: "flex", justifyContent: "space-between", fontSize: 15, mt: 0.4 }}>
                <b>{one || "No suspect"}</b>
                <span>{two.toLowerCase()}</span>
              </Box>
            </>
          ) : (
            <Box sx={{ mt: 0.8, border: `1.5px dashed ${v("ink3")}`, p: 1, fontSize: 15, minHeight: 58 }}>
              No wiring model: points by hand
            </Box>
          )}
          {(t.comeback != null || t.over) && (
            <Box sx={{ display: "flex", gap: 0.6, mt: 0.4 }}>
              <Flags ticket={t} />
            </Box>
          )}
          <Box sx={{ borderTop: `1px solid ${v("ruleStrong")}`, mt: 1, pt: 0.8, fontSize: 15 }}>
            <b style={{ fontSize: 17 }}>{STAGE[t.stage]?.name}</b> {t.step}
          </Box>
          <Box sx={{ display: "flex", justifyContent: "space-between", alignItems: "baseline", mt: "auto" }}>
            <Box sx={{ fontSize: first ? 38 : 27, fontWeight: 750, lineHeight: 1.05 }}>
              {t.promised ? when(t.promised, now) : "no promise"}
            </Box>
            {t.segments.length > 0 && (
              <Box sx={{ fontSize: 24, fontWeight: 700 }}>
                {minutes(t.minutes_to_go)} <span style={{ fontSize: 15 }}>min</span>
              </Box>
            )}
          </Box>
          <Box sx={{ fontSize: 15, fontWeight: 600 }}>
            {t.slack_minutes == null
              ? "as time allows"
              : t.slack_minutes >= 0
                ? `${span(t.slack_minutes)} to spare`
                : `${span(t.slack_minutes)} late`}
          </Box>
        </Box>
      </Box>
      {first && (
        <Box
          sx={{
            position: "absolute",
            right: 0,
            bottom: -30,
            background: v("copperFill"),
            color: v("onCopper"),
            fontWeight: 700,
            fontSize: 17,
            px: 2.5,
            py: 0.5,
          }}
        >
          Do this next
        </Box>
      )}
    </Box>
  );
};

const RowTicket = ({ ticket: t, rank, now }: { ticket: Ticket; rank: number; now: string }) => {
  const go = useNavigate();
  return (
    <Box
      component="button"
      type="button"
      data-ticket={t.number}
      onClick={() => void go(path(t))}
      sx={{
        font: "inherit",
        fontSize: 16,
        color: v("ink"),
        width: "100%",
        height: 52,
        display: "flex",
        gap: 1.5,
        alignItems: "center",
        textAlign: "left",
        background: "transparent",
        border: 0,
        borderBottom: `1px solid ${v("ruleStrong")}`,
        cursor: "pointer",
        mt: 0.5,
      }}
    >
      {rank > 0 && <Disc size={26}>{rank}</Disc>}
      <b>{number4(t.number)}</b>
      <Box
        sx={{
          flex: "0 1 260px",
          fontWeight: 650,
          overflow: "hidden",
          whiteSpace: "nowrap",
          textOverflow: "ellipsis",
        }}
      >
        {t.vehicle}
      </Box>
      <Box
        sx={{ flex: 1, color: v("ink2"), overflow: "hidden", whiteSpace: "nowrap", textOverflow: "ellipsis" }}
      >
        “{t.words}”
      </Box>
      <SmallStrip segments={t.segments} width={132} tall={false} />
      <Flags ticket={t} />
      <Box sx={{ width: 110 }}>{STAGE[t.stage]?.name}</Box>
      <Box sx={{ width: 110, textAlign: "right", fontWeight: 700 }}>
        {t.promised ? when(t.promised, now) : ""}
      </Box>
      <Box sx={{ width: 80, flex: "none", textAlign: "right" }}>
        {t.segments.length > 0 ? `${minutes(t.minutes_to_go)} min` : ""}
      </Box>
    </Box>
  );
};

/** The same complaint came back, or a limit is passed: said in words. */
const Flags = ({ ticket: t }: { ticket: Ticket }) => (
  <>
    {t.comeback != null && (
      <Box sx={flag} data-comeback={t.comeback}>
        <Triangle size={15} /> back from {number4(t.comeback)}
      </Box>
    )}
    {t.broken != null && (
      <Box sx={flag} data-broken title={t.broken}>
        <Triangle size={15} /> cannot be worked on
      </Box>
    )}
    {t.over && (
      <Box sx={flag} data-over>
        <Triangle size={15} /> over its limit
      </Box>
    )}
  </>
);
const flag = {
  display: "inline-flex",
  gap: 0.6,
  alignItems: "center",
  fontSize: 14.5,
  fontWeight: 700,
  background: v("copperTint"),
  px: 0.8,
  py: 0.2,
  whiteSpace: "nowrap",
} as const;

/** A closed job, found by a search. */
const ClosedRow = ({ ticket: t }: { ticket: ClosedTicket }) => {
  const go = useNavigate();
  return (
    <Box
      component="button"
      type="button"
      data-ticket={t.number}
      onClick={() => void go(`/jobs/${t.id}/record`)}
      sx={rowButton}
    >
      <Tick size={18} />
      <b>{number4(t.number)}</b>
      <Box sx={{ ...oneLine, flex: "0 1 250px", fontWeight: 650 }}>
        {t.vehicle || "Vehicle not named"}
        {t.frame_number ? `, ${t.frame_number}` : ""}
      </Box>
      <Box sx={{ ...oneLine, flex: 1, color: v("ink2") }}>“{t.words}”</Box>
      <Box sx={{ ...oneLine, flex: "0 1 260px" }}>
        {t.outcome}
        {t.mended ? `: ${t.mended.toLowerCase()}` : ""}
      </Box>
      <Box sx={{ width: 130, textAlign: "right" }}>{t.closed_at == null ? "" : day(t.closed_at)}</Box>
    </Box>
  );
};

/** A vehicle that is to come back: pressed, it begins its job, linked to the one it comes from. */
const RecheckRow = ({ ticket: t }: { ticket: RecheckTicket }) => {
  const go = useNavigate();
  return (
    <Box
      component="button"
      type="button"
      data-recheck={t.number}
      onClick={() => void go(`/jobs/${t.id}/hand-back`)}
      sx={rowButton}
    >
      {t.overdue ? <Triangle size={18} /> : <Box sx={{ width: 18 }} />}
      <Box sx={{ width: 150, fontWeight: 700 }}>{day(t.by)}</Box>
      <Box sx={{ ...oneLine, flex: "0 1 260px", fontWeight: 650 }}>{t.vehicle || "Vehicle not named"}</Box>
      <Box sx={{ ...oneLine, flex: 1 }}>{t.what}</Box>
      <Box sx={{ color: v("ink2") }}>from {number4(t.number)}</Box>
      <Box sx={{ width: 90, textAlign: "right", fontWeight: 700 }}>{t.overdue ? "overdue" : ""}</Box>
    </Box>
  );
};

const oneLine = { overflow: "hidden", whiteSpace: "nowrap", textOverflow: "ellipsis" } as const;
const rowButton = {
  font: "inherit",
  fontSize: 16,
  color: v("ink"),
  width: "100%",
  minHeight: 52,
  display: "flex",
  gap: 1.5,
  alignItems: "center",
  textAlign: "left",
  background: "transparent",
  border: 0,
  borderBottom: `1px solid ${v("ruleStrong")}`,
  cursor: "pointer",
} as const;

const Lower = ({
  title,
  note,
  empty,
  children,
}: {
  title: string;
  note: string;
  empty: string;
  children: ReactNode[];
}) => (
  <Box sx={{ mt: 5, pb: 1 }}>
    <Box sx={{ px: 2, pb: 1 }}>
      <Heading note={note}>{title}</Heading>
    </Box>
    <Box sx={{ height: 4, background: v("ink") }} />
    <Box sx={{ px: 2, display: "flex", gap: 1.25, flexWrap: "wrap", pt: "14px" }}>
      {children.length > 0 ? (
        children
      ) : (
        <Box sx={{ p: 2, border: `1.5px dashed ${v("ink3")}`, fontSize: 16 }}>{empty}</Box>
      )}
    </Box>
  </Box>
);

const WAITS: Record<string, string> = {
  part: "Part",
  charge: "Charge",
  cure: "Cure",
  rest: "Rest",
  customer: "Customer’s word",
};

const Glyph = ({ kind }: { kind: string }) => {
  const fill = { charge: "url(#h-low)", cure: "url(#h-high)", rest: "url(#h-nothing)" }[kind] ?? "none";
  return (
    <svg width="32" height="32" viewBox="0 0 32 32" aria-hidden="true">
      <rect x="2" y="2" width="28" height="28" fill={v("sheet")} />
      <rect x="2" y="12" width="28" height="18" fill={fill} />
      <rect
        x="2"
        y="2"
        width="28"
        height="28"
        fill="none"
        stroke={v("ink")}
        strokeWidth="2"
        strokeDasharray={kind === "part" ? "5 4" : undefined}
      />
      {kind === "customer" && (
        <text x="16" y="24" textAnchor="middle" fontSize="22" fontWeight="750">
          ?
        </text>
      )}
    </svg>
  );
};

const WaitTag = ({ ticket: t, now }: { ticket: Ticket; now: string }) => {
  const go = useNavigate();
  const [one] = stripWords(t.segments);
  const w = t.waiting;
  const over = w?.until != null && Date.parse(w.until) < Date.parse(now);
  return (
    <Box sx={{ position: "relative", width: 232 }}>
      <Box
        sx={{
          position: "absolute",
          top: -24,
          left: 78,
          width: 52,
          height: 26,
          border: `1.5px solid ${v("ink")}`,
          background: v("sheet"),
        }}
      />
      <Box
        component="button"
        type="button"
        data-ticket={t.number}
        onClick={() => void go(path(t))}
        sx={{
          position: "relative",
          font: "inherit",
          color: v("ink"),
          textAlign: "left",
          width: "100%",
          border: `1.5px solid ${v("ink")}`,
          background: v("sheet"),
          p: 1.5,
          cursor: "pointer",
        }}
      >
        <Box sx={{ display: "flex", justifyContent: "space-between", alignItems: "flex-start" }}>
          <Box sx={{ fontSize: 20, fontWeight: 700 }}>
            {w?.until ? (over ? "free now" : when(w.until, now)) : "no date"}
          </Box>
          <Glyph kind={w?.kind ?? ""} />
        </Box>
        <b style={{ fontSize: 16 }}>{number4(t.number)}</b>
        <Box
          sx={{
            fontSize: 16,
            fontWeight: 600,
            whiteSpace: "nowrap",
            overflow: "hidden",
            textOverflow: "ellipsis",
          }}
        >
          {t.vehicle}
        </Box>
        <Box sx={{ my: 0.6 }}>
          <SmallStrip segments={t.segments} width={200} tall={false} />
        </Box>
        <Box sx={{ fontSize: 15, fontWeight: 600, height: 20 }}>
          {t.stage === "quarantine"
            ? "Pack in quarantine"
            : t.segments.length === 0
              ? "Points by hand"
              : one || "No suspect"}
        </Box>
        <Box sx={{ borderTop: `1px solid ${v("rule")}`, mt: 0.8, pt: 0.6, fontSize: 15 }}>
          <b>{WAITS[w?.kind ?? ""]}</b>
          <Box sx={{ color: v("ink2"), height: 40, overflow: "hidden", lineHeight: 1.3 }}>{w?.what}</Box>
        </Box>
      </Box>
    </Box>
  );
};
