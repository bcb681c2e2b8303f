import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import { useEffect, useRef, useState, type ReactNode } from "react";
import type { Change, JobView, KnownFrom, MapStrand } from "../api/client";
import { useChoices, useIfSo, useProfile } from "../api/hooks";
import { v } from "../theme/tokens";
import { useCommands } from "../ui/commands";
import { OneOf, Plain, Select, number, pressed } from "../ui/form";
import { choice, command } from "../ui/keys";
import { ErrorLine, Heading, Key } from "../ui/parts";
import { NOWHERE, leads } from "../has/joins";
import { SOURCES, from } from "../has/sources";
import { PlugFace } from "./PlugFace";
import { Swatches } from "./Swatches";
import { Tried, wordsOfTried } from "./Tried";

interface Props {
  job: JobView;
  strand: MapStrand;
  busy: boolean;
  error?: string;
  onChange: (change: Change, source: KnownFrom) => void;
  onTakeBack: (entry: string) => void;
  onDone: () => void;
}

/** Changes by which something reads otherwise. */
const TRIED: Change["what"][] = ["order", "join", "pull-up", "normally-closed-brake"];

/** Where the wires that are tried on other pins came from: from, to. */
const ghosts = (strand: MapStrand, tried: Change | undefined): [number, number][] => {
  if (tried?.what !== "order") return [];
  const now = strand.wires.map((w) => w.pin).sort((a, b) => a - b);
  return now.flatMap((pin, k): [number, number][] => {
    const to = tried.pins[k];
    return to === undefined || to === pin ? [] : [[pin, to]];
  });
};

/** Which half of the plug has the colour. */
type Half = "harness" | "device";

/** Volts that lines are pulled up to on vehicles of these kinds. */
const PULL_UPS = [3.3, 5, 12];

/** “Not like this here”: the plug's face with its pins to press; colours from swatches, two presses move a wire. */
export const PlugEditor = ({ job, strand, busy, error, onChange, onTakeBack, onDone }: Props) => {
  const [source, setSource] = useState<KnownFrom>("measured");
  const [picked, setPicked] = useState(strand.wires[0]?.pin ?? 1);
  const [moving, setMoving] = useState(false);
  const [half, setHalf] = useState<Half>("harness");
  const [said, setSaid] = useState<string>();
  // what reads otherwise is looked at before it is kept
  const [tried, setTried] = useState<Change>();
  const so = useIfSo(job, tried, source, strand.id);
  const shown = (tried && so.data?.strand) ?? strand;
  const panel = useRef<HTMLDivElement>(null);
  const colours = useChoices().data?.colours ?? [];
  const wire = strand.wires.find((w) => w.pin === picked);
  const code = (half === "device" ? wire?.lead_code : undefined) ?? wire?.code ?? "??";
  const [base = "??", stripe] = code.split("/");
  const joins = useProfile(job).data?.has.flatMap((slot) => slot.joins) ?? [];
  const join = joins.find((j) => j.strand === strand.id && j.pin === picked);
  const change = (what: Change) => {
    setSaid(undefined);
    if (TRIED.includes(what.what)) setTried(what);
    else onChange(what, source);
  };
  const keep = tried
    ? () => {
        onChange(tried, source);
        setTried(undefined);
      }
    : undefined;
  const drop = () => {
    setTried(undefined);
  };
  const paint = (to: string) => {
    if (!wire || to === code) return;
    const what = half === "device" ? "lead-colour" : "colour";
    change({ what, strand: strand.id, pin: picked, code: to });
  };
  const pick = (pin: number) => {
    const there = strand.wires.find((w) => w.pin === pin);
    if (moving && pin !== picked && wire) {
      if (!there) {
        setSaid(`Pin ${String(pin)} has no wire of this strand: press the one that it changes places with.`);
        return;
      }
      const swapped = (p: number) => (p === picked ? pin : p === pin ? picked : p);
      const now = strand.wires.map((w) => w.pin).sort((a, b) => a - b);
      change({ what: "order", strand: strand.id, pins: now.map(swapped) });
    }
    setSaid(undefined);
    setMoving(false);
    setPicked(pin);
  };
  const focus = (css: string) => () => {
    panel.current?.querySelector<HTMLElement>(css)?.focus();
  };
  const move = wire
    ? () => {
        setMoving(!moving);
        focus("[data-face-pin][tabindex='0']")();
      }
    : undefined;
  useEffect(() => {
    panel.current?.querySelector<SVGGElement>("[data-face-pin][tabindex='0']")?.focus();
  }, [strand.id]);
  useCommands([
    ...strand.pins.slice(0, 9).map((p) =>
      choice(p.pin, `Pin ${String(p.pin)}`, () => {
        pick(p.pin);
      }),
    ),
    command("plug.colour", focus("[data-colours] button")),
    command("plug.stripe", focus("[data-stripes] button")),
    command("plug.half", () => {
      setHalf(half === "device" ? "harness" : "device");
    }),
    command("plug.leads", join ? focus("[data-leads] select") : undefined),
    command("plug.move", move),
    command(
      "plug.done",
      moving
        ? () => {
            setMoving(false);
          }
        : tried
          ? drop
          : onDone,
    ),
    command("plug.keep", so.data && !busy ? keep : undefined),
  ]);
  const here = job.changes.filter(
    ({ change: c }) =>
      ("strand" in c && c.strand === strand.id) ||
      ("plug" in c && c.plug === strand.plug) ||
      (c.what === "pull-up" && linesOf(strand) === c.lines),
  );
  return (
    <Box ref={panel} data-plug-editor={strand.id}>
      <Box sx={{ display: "flex", alignItems: "center", gap: 1.2, flexWrap: "wrap", mb: 1 }}>
        <Heading note={`${strand.name}, looking into the pins`}>{strand.plug_name}</Heading>
        <Box sx={{ flex: 1 }} />
        <Box sx={{ display: "flex", gap: 1.2, alignItems: "center" }}>
          <span style={{ fontSize: 15.5 }}>Known from</span>
          <OneOf
            label="Known from"
            value={source}
            options={SOURCES.map(([id, words]) => [id, words] as const)}
            onPick={setSource}
          />
        </Box>
        <Button onClick={onDone} data-plug-done sx={{ gap: 1 }}>
          Done <Key>Esc</Key>
        </Button>
      </Box>
      {(error ?? said) !== undefined && <ErrorLine>{error ?? said}</ErrorLine>}
      <Box
        sx={{
          display: "grid",
          gridTemplateColumns: "300px minmax(0, 1fr)",
          columnGap: 3,
          "@media (max-width: 900px)": { gridTemplateColumns: "minmax(0, 1fr)" },
        }}
      >
        <Box sx={{ display: "grid", gap: 1, justifyItems: "center", alignContent: "start" }}>
          <PlugFace
            strand={shown}
            picked={picked}
            moving={moving}
            size={292}
            ghosts={ghosts(strand, tried)}
            onPick={pick}
          />
          <Box sx={{ fontSize: 15.5, minHeight: 22, fontWeight: moving ? 700 : 500 }}>
            {moving
              ? `Now press the pin that ${String(picked)} changes places with.`
              : "Press a pin; its number is its key."}
          </Box>
          <Box sx={{ fontSize: 15, color: v("ink2") }}>Left the harness half, right the device half.</Box>
          {strand.crossed.map(([a, b]) => (
            <Box key={a} data-crossed={`${String(a)} ${String(b)}`} role="status" sx={{ fontSize: 15.5 }}>
              <b>
                Pins {a} and {b} have each other’s colours on the device half.
              </b>{" "}
              Wires in each other’s place are ten times as likely there now; a device of another maker may
              look so too. Read both.
            </Box>
          ))}
        </Box>
        <Box sx={{ display: "grid", gap: 1.2, alignContent: "start", minWidth: 0 }}>
          {tried && keep && job.bench && (
            <Tried
              what={wordsOfTried(tried, join)}
              strand={strand}
              bench={job.bench}
              so={so.data}
              error={so.error?.message}
              busy={busy}
              onKeep={keep}
              onDrop={drop}
            />
          )}
          <Box sx={{ display: "flex", gap: 1.5, alignItems: "baseline" }}>
            <b style={{ fontSize: 24 }}>Pin {picked}</b>
            <span style={{ fontSize: 18 }}>{wire?.function ?? elsewhere(strand, picked)}</span>
          </Box>
          {wire && (
            <>
              <Named name="Half" hotkey="H">
                <OneOf
                  label="Half of the plug"
                  value={half}
                  options={[
                    ["harness", "Harness half"],
                    ["device", "Device half"],
                  ]}
                  onPick={setHalf}
                />
              </Named>
              <Named name="Colour" hotkey="C">
                <Box data-colours>
                  <Swatches
                    label="Colour"
                    colours={[...colours, "??"]}
                    value={base}
                    disabled={busy}
                    onPick={(code) => {
                      paint(
                        code === "??" || stripe === undefined || stripe === code ? code : `${code}/${stripe}`,
                      );
                    }}
                  />
                </Box>
              </Named>
              <Named name="Stripe" hotkey="S">
                <Box data-stripes>
                  <Swatches
                    label="Stripe"
                    colours={colours.filter((c) => c !== base)}
                    value={stripe}
                    narrow
                    disabled={busy || base === "??"}
                    onPick={(code) => {
                      paint(code === stripe ? base : `${base}/${code}`);
                    }}
                  />
                </Box>
              </Named>
              {join && (
                <Named name="Leads to" hotkey="F">
                  <Box data-leads sx={{ maxWidth: 420 }}>
                    <Select
                      label={`Pin ${String(picked)} leads to`}
                      value={join.to ?? NOWHERE}
                      disabled={busy}
                      onChange={(to) => {
                        change({
                          what: "join",
                          strand: strand.id,
                          pin: picked,
                          to: to === NOWHERE ? null : to,
                        });
                      }}
                      empty="nowhere"
                      options={leads(join)}
                    />
                  </Box>
                </Named>
              )}
              <Box sx={{ display: "flex", gap: 1, flexWrap: "wrap", alignItems: "center" }}>
                <Button
                  onClick={move}
                  disabled={busy}
                  aria-pressed={moving}
                  data-move-wire
                  sx={{ gap: 1, ...pressed(moving) }}
                >
                  Move this wire <Key>M</Key>
                </Button>
                <span style={{ fontSize: 15, color: v("ink2") }}>
                  Press a stripe again for none. Colours are saved at once; until the device half has one of
                  its own, it has the harness half’s.
                </span>
              </Box>
            </>
          )}
          <ThisStrand strand={strand} busy={busy} onChange={change} />
          {here.length > 0 && (
            <Box data-changed-here sx={{ borderTop: `1px solid ${v("ruleStrong")}`, pt: 1 }}>
              {here.map((c) => (
                <Box key={c.entry} sx={{ display: "flex", gap: 1, alignItems: "center", fontSize: 15.5 }}>
                  <span style={{ flex: 1 }}>
                    {c.words} <span style={{ color: v("ink2") }}>{from(c.source)}</span>
                  </span>
                  <Button
                    disabled={busy}
                    onClick={() => {
                      onTakeBack(c.entry);
                    }}
                    sx={{ minHeight: 44, height: 44, fontSize: 15 }}
                  >
                    Take back
                  </Button>
                </Box>
              ))}
            </Box>
          )}
        </Box>
      </Box>
    </Box>
  );
};

const elsewhere = (strand: MapStrand, pin: number): string => {
  const there = strand.pins.find((p) => p.pin === pin);
  return there?.code == null ? "no wire" : `${there.function ?? ""}, of another strand`;
};

/** Which lines of a strand are pulled up, as the vehicle's profile names them. */
const linesOf = (strand: MapStrand): "brakes" | "halls" | undefined =>
  strand.id.startsWith("brake") ? "brakes" : strand.id === "halls" ? "halls" : undefined;

const Named = ({ name, hotkey, children }: { name: string; hotkey: string; children: ReactNode }) => (
  <Box sx={{ display: "grid", gridTemplateColumns: "96px minmax(0, 1fr)", alignItems: "start", gap: 1 }}>
    <Box sx={{ display: "flex", gap: 0.8, alignItems: "center", pt: 1, fontSize: 16, fontWeight: 650 }}>
      {name} <Key>{hotkey}</Key>
    </Box>
    {children}
  </Box>
);

/** What is said of the strand and its plug as a whole: a lever that opens, pull-ups, one more wire, another plug. */
const ThisStrand = ({
  strand,
  busy,
  onChange,
}: {
  strand: MapStrand;
  busy: boolean;
  onChange: (c: Change) => void;
}) => {
  const lines = linesOf(strand);
  const [volts, setVolts] = useState("");
  const [wrong, setWrong] = useState<string>();
  const [sent, setSent] = useState<string>();
  const [carries, setCarries] = useState("");
  const [plug, setPlug] = useState(strand.plug_name);
  const [pins, setPins] = useState(strand.pins.length);
  const least = Math.max(...strand.pins.filter((p) => p.code != null).map((p) => p.pin), 1);
  const row = { display: "flex", gap: 1, alignItems: "center", flexWrap: "wrap", fontSize: 16 } as const;
  const pull = (to: number) => {
    if (lines) onChange({ what: "pull-up", lines, volts: to });
  };
  return (
    <Box sx={{ display: "grid", gap: 1, borderTop: `1px solid ${v("ruleStrong")}`, pt: 1 }}>
      {lines !== undefined && (
        <Box sx={row}>
          {lines === "brakes" && (
            <Button
              disabled={busy}
              onClick={() => {
                onChange({ what: "normally-closed-brake", strand: strand.id });
              }}
              data-normally-closed
            >
              Opens when squeezed
            </Button>
          )}
          <b>{lines === "brakes" ? "Brake lines" : "Hall lines"} pulled up to</b>
          {PULL_UPS.map((x) => (
            <Button
              key={x}
              disabled={busy}
              onClick={() => {
                pull(x);
              }}
              data-pull-up={x}
              sx={{ minWidth: 68 }}
            >
              {x} V
            </Button>
          ))}
          <Plain
            label="Other pull-up volts"
            hint="other"
            value={volts}
            onChange={setVolts}
            onDone={() => {
              if (volts.trim() === "" || volts === sent) return;
              const to = number(volts);
              setWrong(Number.isFinite(to) ? undefined : `“${volts}” are no volts. Write them as 3.3.`);
              if (!Number.isFinite(to)) return;
              // what is refused stays to be mended, and is not sent again by leaving the field
              setSent(volts);
              pull(to);
            }}
            mode="decimal"
            sx={{ width: 74 }}
          />{" "}
          V{wrong !== undefined && <ErrorLine tight>{wrong}</ErrorLine>}
        </Box>
      )}
      <Box
        component="form"
        sx={row}
        onSubmit={(e: React.FormEvent) => {
          e.preventDefault();
          if (carries.trim() === "") return;
          setSent(carries);
          onChange({ what: "extra-wire", strand: strand.id, code: "??", function: carries.trim() });
        }}
      >
        <b>Added wire</b>
        <Plain
          label="What the added wire carries"
          hint="what it carries"
          value={carries}
          onChange={setCarries}
          sx={{ width: 190 }}
        />
        <Button type="submit" disabled={busy || carries.trim() === "" || carries === sent} data-add-wire>
          Add the wire
        </Button>
      </Box>
      <Box sx={row}>
        <b>Another plug</b>
        <Plain label="Plug name" value={plug} onChange={setPlug} sx={{ width: 190 }} />
        <Button
          aria-label="One pin less"
          disabled={pins <= least}
          onClick={() => {
            setPins(pins - 1);
          }}
          sx={{ minWidth: 44 }}
        >
          −
        </Button>
        <b style={{ fontVariantNumeric: "tabular-nums" }}>{pins} pins</b>
        <Button
          aria-label="One pin more"
          disabled={pins >= 60}
          onClick={() => {
            setPins(pins + 1);
          }}
          sx={{ minWidth: 44 }}
        >
          +
        </Button>
        {(["round", "flat"] as const).map((face) => (
          <Button
            key={face}
            disabled={busy || plug.trim() === ""}
            onClick={() => {
              onChange({ what: "plug", plug: strand.plug, name: plug.trim(), pins, face });
            }}
            data-plug-face={face}
            sx={{ gap: 1 }}
          >
            <svg width="22" height="22" viewBox="0 0 22 22" aria-hidden="true">
              {face === "round" ? (
                <circle cx="11" cy="11" r="9" fill="none" stroke="currentColor" strokeWidth="2" />
              ) : (
                <rect
                  x="1.5"
                  y="5"
                  width="19"
                  height="12"
                  fill="none"
                  stroke="currentColor"
                  strokeWidth="2"
                />
              )}
            </svg>
            It is {face}
          </Button>
        ))}
      </Box>
    </Box>
  );
};
