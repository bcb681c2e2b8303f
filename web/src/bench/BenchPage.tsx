import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import useMediaQuery from "@mui/material/useMediaQuery";
import { useEffect, useRef, useState } from "react";
import { useNavigate, useParams, useSearchParams } from "react-router";
import {
  isModelled,
  type Card,
  type Change,
  type KnownFrom,
  type Modelled,
  type Tile,
  type VehicleState,
} from "../api/client";
import { useAppend, useCard, useJob } from "../api/hooks";
import { JobLine } from "../frame/JobLine";
import { JobCell, MinutesCell, StateButtons, TitleBlock, Warnings } from "../frame/TitleBlock";
import { useOutbox } from "../outbox/OutboxCell";
import { PhotoButton } from "../photos/Photos";
import { PointsPage } from "../points/PointsPage";
import { v } from "../theme/tokens";
import { HEIGHT } from "../trace/shapes";
import { TraceMap } from "../trace/TraceMap";
import { dayAndTime } from "../ui/format";
import { useCommands } from "../ui/commands";
import { command } from "../ui/keys";
import { DeadFirst } from "../ui/DeadFirst";
import { ErrorLine, KeyedCard, Triangle } from "../ui/parts";
import { BuiltCard } from "./BuiltCard";
import { HasCard } from "./HasCard";
import { CardView } from "./CardView";
import { ControlsCard } from "./ControlsCard";
import { EvidenceStrip } from "./Evidence";
import { StrandPanel } from "./StrandPanel";
import { Suspects } from "./Suspects";
import { VerdictCard } from "./VerdictCard";

export const BenchPage = () => {
  const { id = "" } = useParams();
  const job = useJob(id, "bench");
  if (!job.data)
    return (
      <Box sx={{ p: 3 }}>{job.error ? <ErrorLine>{job.error.message}</ErrorLine> : "Fetching the job"}</Box>
    );
  // on the way from another station the map is still to come
  const waits = job.isPlaceholderData && job.data.bench != null && job.data.map == null;
  if (job.data.broken != null || waits) return <JobLine job={job.data} here="bench" />;
  return isModelled(job.data) ? <BenchOf job={job.data} /> : <PointsPage job={job.data} />;
};

const BenchOf = ({ job }: { job: Modelled }) => {
  const append = useAppend(job);
  const go = useNavigate();
  const [params] = useSearchParams();
  const [chosen, setChosen] = useState<string | undefined>(params.get("test") ?? undefined);
  const [strand, setStrand] = useState<string>();
  const [tile, setTile] = useState<Tile>();
  const [only, setOnly] = useState(false);
  // a low window keeps the card in sight: of the path only its strip, until it is asked for
  const short = useMediaQuery("(max-height: 767px) and (min-width: 901px)");
  const [path, setPath] = useState(false);
  const folded = short && !path && strand === undefined;
  // what it has stands in the place of the card
  const [has, setHas] = useState(false);
  // the controls are asked one at a time
  const [single, setSingle] = useState(false);
  // the test that the vehicle was set up for stays, whatever else would tell more by now
  const [held, setHeld] = useState<string>();
  const kept = useRef<Card>(undefined);
  const wanted = chosen ?? held;
  const hand = useCard(job.id, wanted, job.head);
  const bench = job.bench;
  const fetched = [hand.data, bench.next, kept.current].find((c) => c != null && c.test === wanted);
  const card = wanted !== undefined ? (fetched ?? undefined) : (bench.next ?? undefined);
  useEffect(() => {
    kept.current = card;
  });
  const open = job.map.strands.find((s) => s.id === strand);
  const setState = (state: VehicleState) => {
    append.mutate([{ kind: "state", state }]);
  };
  const undo = (t: Tile) => {
    append.mutate([{ kind: "void", entry: t.entry, reason: "taken back" }]);
  };
  const count = job.map.strands.reduce((n, s) => n + s.wires.length, 0);
  const pressOf = (button: string) => () => {
    document.querySelector<HTMLButtonElement>(button)?.click();
  };
  useCommands([
    command("bench.undo", pressOf("[data-undo]")),
    command(
      "bench.suspects",
      () => {
        setOnly(!only);
      },
      only ? "Show every strand" : undefined,
    ),
    command("state.battery", pressOf('[aria-label^="Battery"]')),
    command("state.key", pressOf(`[aria-label^="${job.switch_name}"]`), job.switch_name),
    command("state.wheel", pressOf('[aria-label^="Wheel"]')),
  ]);
  const waiting = useOutbox().waiting.filter((w) => w.job === job.id);
  const repair = bench.suspects.find((s) => s.class === bench.repair);
  const failed =
    append.error !== null && append.variables.some((b) => b.kind === "state" || b.kind === "void")
      ? append.error.message
      : undefined;
  // what comes before the repair that is likely, with its reason
  const first = ["again", "witness"].includes(bench.verdict.act) ? bench.verdict.words : undefined;
  return (
    <Box
      sx={{
        height: "100vh",
        minHeight: short ? 600 : 768,
        display: "flex",
        flexDirection: "column",
        overflow: "hidden",
        // a tablet upright: the page grows, map, card, suspects and evidence below each other
        "@media (max-width: 900px)": { height: "auto", minHeight: "100vh", overflow: "visible" },
      }}
    >
      <JobLine job={job} here="bench" />
      <TitleBlock>
        <JobCell job={job} />
        <StateButtons job={job} onState={setState} disabled={append.isPending || job.closed != null} />
        <MinutesCell job={job} />
      </TitleBlock>
      <Warnings job={job} />
      <Box
        sx={{
          position: "relative",
          flex: "none",
          height: folded ? FOLDED : HEIGHT,
          overflow: folded ? "hidden" : undefined,
          pr: folded ? "160px" : 0,
          "& [data-map]": folded ? { mt: `${String(FOLDED - HEIGHT)}px` } : {},
          "@media (max-width: 979px)": { height: HEIGHT + 52, pt: "52px" },
        }}
      >
        <TraceMap map={job.map} segments={bench.segments} onStrand={setStrand} suspectsOnly={only} />
        {short && (
          <Button
            onClick={() => {
              setPath(!path);
            }}
            aria-expanded={!folded}
            sx={{
              position: "absolute",
              right: 16,
              top: 4,
              zIndex: 1,
              minHeight: 44,
              height: 44,
              background: v("paper"),
            }}
            data-path
          >
            {folded ? "Show the path" : "Fold the path"}
          </Button>
        )}
        <Box
          sx={{
            position: "absolute",
            left: 16,
            top: 8,
            display: folded ? "none" : "flex",
            gap: 0.8,
          }}
        >
          <Button
            onClick={() => {
              setOnly(false);
            }}
            aria-pressed={!only}
            sx={{
              minHeight: 44,
              height: 44,
              fontSize: 14.5,
              px: 1,
              ...(only
                ? {}
                : { background: v("ink"), color: v("sheet"), "&:hover": { background: v("ink2") } }),
            }}
          >
            All
            <Box
              component="span"
              sx={{ ml: 0.5, "@media (min-width: 980px) and (max-width: 1119px)": { display: "none" } }}
            >
              {count} wires
            </Box>
          </Button>
          <Button
            onClick={() => {
              setOnly(true);
            }}
            aria-pressed={only}
            sx={{
              minHeight: 44,
              height: 44,
              fontSize: 14.5,
              px: 1,
              ...(only
                ? { background: v("ink"), color: v("sheet"), "&:hover": { background: v("ink2") } }
                : {}),
            }}
          >
            Suspects
          </Button>
        </Box>
        <Button
          onClick={() => {
            setHas(!has);
          }}
          aria-pressed={has}
          data-to-has
          sx={{
            position: "absolute",
            right: short ? 172 : 16,
            top: short ? 4 : 8,
            zIndex: 1,
            minHeight: 44,
            height: 44,
            fontSize: 14.5,
            px: 1,
            background: v(has ? "ink" : "paper"),
            color: v(has ? "sheet" : "ink"),
            "&:hover": { background: v(has ? "ink2" : "well") },
          }}
        >
          What it has
        </Button>
        {open && (
          <StrandPanel
            job={job}
            strand={open}
            busy={append.isPending}
            error={
              append.error && append.variables.some((b) => ["change", "void"].includes(b.kind))
                ? append.error.message
                : undefined
            }
            onTest={(t) => {
              setChosen(t);
              setStrand(undefined);
            }}
            onChange={(change: Change, source: KnownFrom) => {
              append.mutate([{ kind: "change", change, source }]);
            }}
            onTakeBack={(entry) => {
              append.mutate([{ kind: "void", entry, reason: "taken back" }]);
            }}
            onWalk={(by) => {
              const all = job.map.strands;
              const at = all.findIndex((s) => s.id === open.id);
              setStrand(all[(at + by + all.length) % all.length]?.id);
            }}
            onClose={() => {
              setStrand(undefined);
            }}
          />
        )}
        {append.isPending && (
          <Box
            sx={{ position: "absolute", left: 0, right: 0, top: 0, height: 2, background: v("ink") }}
            aria-label="working it out"
          />
        )}
      </Box>
      <Box
        sx={{
          display: "grid",
          gridTemplateColumns: "minmax(0, 1fr) 408px",
          gridTemplateRows: "minmax(0, 1fr)",
          columnGap: 2,
          rowGap: 0.8,
          px: 2,
          pt: 0.5,
          pb: 1.2,
          flex: 1,
          minHeight: 0,
          "@media (max-width: 1100px)": { gridTemplateColumns: "minmax(0, 1fr) 344px" },
          "@media (max-width: 900px)": {
            gridTemplateColumns: "minmax(0, 1fr)",
            gridTemplateRows: "auto",
          },
        }}
      >
        {job.gate.dead_first && (
          <Box sx={{ "@media (min-width: 901px)": { gridColumn: 2, gridRow: 1 } }}>
            <DeadFirst
              first={job.gate.dead_first}
              onPick={(r) => {
                setChosen(r.test ?? undefined);
              }}
            />
          </Box>
        )}
        <Box
          sx={{
            minWidth: 0,
            display: "flex",
            flexDirection: "column",
            gap: 0.8,
            minHeight: 0,
            "@media (min-width: 901px)": { gridColumn: 1, gridRow: 1 },
            "@media (max-width: 900px)": { minHeight: 400 },
          }}
        >
          {waiting.length > 0 && (
            <Box sx={{ fontSize: 15.5, fontWeight: 600, flex: "none" }} data-before={waiting.length}>
              Suspects and next test are from before {waiting.map((w) => w.words.toLowerCase()).join(", ")}:
              kept on this device.
            </Box>
          )}
          {(bench.advice ?? failed ?? first) !== undefined && (
            <Box
              sx={{
                display: "flex",
                gap: 1,
                alignItems: "center",
                fontSize: 15.5,
                fontWeight: 600,
                flex: "none",
              }}
            >
              <Triangle size={16} /> {failed ?? first ?? bench.advice}
            </Box>
          )}
          {has ? (
            <HasCard
              job={job}
              error={
                append.error && append.variables.some((b) => b.kind === "change")
                  ? append.error.message
                  : undefined
              }
              onChange={(change, source) => {
                append.mutate([{ kind: "change", change, source }]);
              }}
              onClose={() => {
                setHas(false);
              }}
            />
          ) : tile ? (
            <TileDetail
              tile={tile}
              onBack={() => {
                setTile(undefined);
              }}
              onVoid={() => {
                undo(tile);
                setTile(undefined);
              }}
            />
          ) : repair && wanted === undefined && job.closed == null ? (
            <VerdictCard
              label="Likely repair"
              mark={{ "data-repair": repair.class }}
              above={
                <Box sx={{ fontSize: 16 }}>
                  <b style={{ color: v("copper") }}>Likely fault</b> {repair.percent} % of what could be wrong
                </Box>
              }
              heading={repair.name}
              verdict={bench.verdict}
              actions={
                <>
                  <Button
                    variant="contained"
                    onClick={() => void go(`/jobs/${job.id}/repair?class=${repair.class}`)}
                    data-to-repair
                  >
                    Repair this
                  </Button>
                  <MeasureOn next={bench.next} onChoose={setChosen} />
                </>
              }
            >
              <Box sx={{ fontSize: 18 }}>
                {repair.act}. About {Math.round(repair.minutes)} min, part{" "}
                {repair.band === "0" ? "none" : `band ${repair.band}`}. {repair.reason}.
              </Box>
              <Box sx={{ fontSize: 16, color: v("ink2") }} data-why>
                {bench.verdict.words}
              </Box>
            </VerdictCard>
          ) : ["decline", "hand-back", "refer"].includes(bench.verdict.act) &&
            wanted === undefined &&
            job.closed == null ? (
            <VerdictCard
              label="What is left"
              mark={{ "data-verdict": bench.verdict.act }}
              heading={
                { decline: "Ask the owner", "hand-back": "Nothing wrong found" }[bench.verdict.act] ??
                "Refer it"
              }
              verdict={bench.verdict}
              actions={
                <>
                  <Button variant="contained" onClick={() => void go(`/jobs/${job.id}/hand-back`)}>
                    To the hand-back
                  </Button>
                  <MeasureOn next={bench.next} onChoose={setChosen} />
                </>
              }
            >
              <Box sx={{ fontSize: 18 }}>{bench.verdict.words}</Box>
            </VerdictCard>
          ) : bench.built?.leads === true && wanted === undefined && job.closed == null ? (
            <BuiltCard
              built={bench.built}
              append={append}
              more={<MeasureOn next={bench.next} onChoose={setChosen} />}
            />
          ) : bench.controls && wanted === undefined && !single && job.closed == null ? (
            <ControlsCard
              controls={bench.controls}
              append={append}
              onLater={() => {
                setSingle(true);
              }}
            />
          ) : card ? (
            <CardView
              key={card.test}
              job={job.id}
              meter={job.meter}
              card={card}
              append={append}
              photo={
                <PhotoButton job={job} caption={`Before: ${card.opens ?? card.name}`} words="Photo first" />
              }
              chosen={chosen !== undefined}
              progress={`${String(bench.first_minute_done + 1)} of ${String(bench.first_minute_done + bench.first_minute_left)}`}
              others={bench.others}
              onChoose={setChosen}
              onHold={setHeld}
              onBack={() => {
                setChosen(undefined);
                setHeld(undefined);
              }}
              onTaken={() => {
                setChosen(undefined);
                setHeld(undefined);
              }}
              onMissing={() => {
                setHas(true);
              }}
            />
          ) : (
            <KeyedCard label="No next test" sx={{ flex: 1 }}>
              <Box sx={{ p: 2.5, fontSize: 18, display: "grid", gap: 1.5, justifyItems: "start" }}>
                <b style={{ fontSize: 24 }}>
                  {job.closed != null
                    ? "This job is closed."
                    : chosen !== undefined
                      ? "Fetching the test"
                      : bench.standing === "stopped"
                        ? "STOP: isolation and quarantine first."
                        : "No test would tell more."}
                </b>
                {bench.standing === "stopped" && (
                  <Button variant="contained" onClick={() => void go(`/jobs/${job.id}/gate`)}>
                    To the gate
                  </Button>
                )}
                {hand.error && <ErrorLine>{hand.error.message}</ErrorLine>}
                {bench.standing !== "stopped" && (
                  <span>
                    Press a strand on the path to measure any point, or repair what the list names first.
                  </span>
                )}
              </Box>
            </KeyedCard>
          )}
        </Box>
        <Box
          sx={{
            minHeight: 0,
            // while it is locked, what is shared out stands on the map alone
            "@media (min-width: 901px)": {
              gridColumn: 2,
              gridRow: 1,
              ...(job.gate.dead_first ? { display: "none" } : {}),
            },
          }}
        >
          <Suspects
            bench={bench}
            onByHand={(s, out, reason) => {
              append.mutate([{ kind: "by-hand", class: s.class, out, reason }]);
            }}
            onMend={(s) => void go(`/jobs/${job.id}/repair?class=${s.class}`)}
          />
        </Box>
      </Box>
      <EvidenceStrip
        tiles={bench.evidence}
        onPick={setTile}
        onUndo={undo}
        busy={append.isPending || job.closed != null}
      />
      <Box aria-live="polite" sx={{ position: "absolute", left: -9999 }}>
        {announce(job)}
      </Box>
    </Box>
  );
};

/** Height of the path's strip of segments, in a low window. */
const FOLDED = 52;

/** Keep testing although the card proposes something else. */
const MeasureOn = ({
  next,
  onChoose,
}: {
  next: Modelled["bench"]["next"];
  onChoose: (test: string) => void;
}) =>
  next ? (
    <Button
      onClick={() => {
        onChoose(next.test);
      }}
    >
      Keep testing: {next.name}
    </Button>
  ) : null;

const announce = (job: Modelled): string => {
  const t = job.bench.evidence[job.bench.evidence.length - 1];
  const s = job.bench.suspects[0];
  if (!t || !s) return "";
  return `Taken ${t.value}. First suspect ${s.name}, ${String(s.percent)} percent. Next: ${job.bench.next?.name ?? "nothing"}.`;
};

const TileDetail = ({ tile: t, onBack, onVoid }: { tile: Tile; onBack: () => void; onVoid: () => void }) => (
  <KeyedCard label={`Reading ${String(t.number)}`} sx={{ flex: 1 }}>
    <Box sx={{ p: 2.2, display: "grid", gap: 1, justifyItems: "start", fontSize: 17 }}>
      <b style={{ color: v("copper") }}>Reading {t.number}</b>
      <Box sx={{ fontSize: 26, fontWeight: 750 }}>
        {t.name}: {t.value} {t.words}
      </Box>
      <span>
        {dayAndTime(t.at)}, {t.by}
        {t.state ? `. Taken with ${t.state}` : ""}
      </span>
      {t.surprising && <ErrorLine>It does not fit the rest. Take it again.</ErrorLine>}
      <Box sx={{ display: "flex", gap: 1, mt: 1 }}>
        <Button onClick={onBack}>Back</Button>
        {!t.voided && <Button onClick={onVoid}>Strike it out</Button>}
      </Box>
    </Box>
  </KeyedCard>
);
