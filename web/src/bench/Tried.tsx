import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import { useEffect, useRef } from "react";
import type { Bench, Change, IfSo, MapStrand, Tile } from "../api/client";
import { v } from "../theme/tokens";
import type { Join } from "../has/joins";
import { pressed } from "../ui/form";
import { ErrorLine, Heading, Key, Tick } from "../ui/parts";
import { Table } from "../ui/Table";
import { Changeover } from "./Changeover";

/** Suspects that are shown beside a change that is tried. */
const MOST = 4;

const counted = (n: number, one: string, many: string): string => `${String(n)} ${n === 1 ? one : many}`;

/** Readings that a change makes fit, and those that it makes odd. */
const refit = (before: Tile[], after: Tile[]): [number, number] => {
  const was = new Map(before.map((t) => [t.entry, t.mark]));
  const count = (from: string, to: string) =>
    after.filter((t) => !t.voided && was.get(t.entry) === from && t.mark === to).length;
  return [count("off", "expected"), count("expected", "off")];
};

/** What follows from a change before it is kept: what the pins would read, which readings fit, and the suspects. */
export const Tried = ({
  what,
  strand,
  bench,
  so,
  error,
  busy,
  onKeep,
  onDrop,
}: {
  what: string;
  strand: MapStrand;
  bench: Bench;
  so?: IfSo;
  error?: string;
  busy: boolean;
  onKeep: () => void;
  onDrop: () => void;
}) => {
  const was = (pin: number) => strand.wires.find((w) => w.pin === pin);
  const moved = (so?.strand?.wires ?? []).filter((w) => {
    const before = was(w.pin);
    return before === undefined || before.now !== w.now || before.function !== w.function;
  });
  const keep = useRef<HTMLButtonElement>(null);
  const ready = so !== undefined;
  useEffect(() => {
    if (ready) keep.current?.focus();
  }, [ready]);
  const [fit, odd] = refit(bench.evidence, so?.evidence ?? []);
  return (
    <Box
      data-tried
      role="group"
      aria-label="If it is so"
      sx={{
        border: `2px solid ${v("copperFill")}`,
        background: v("sheet"),
        p: 1.4,
        display: "grid",
        gap: 1.2,
      }}
    >
      <Heading note="not saved yet">{what}</Heading>
      {error !== undefined && <ErrorLine>{error}</ErrorLine>}
      {so === undefined && error === undefined && <Box sx={{ color: v("ink2") }}>Working it out</Box>}
      {so && (
        <>
          {moved.length > 0 ? (
            <Table>
              <thead>
                <tr>
                  <th>Pin</th>
                  <th>Carries then</th>
                  <th className="n">Reads as drawn</th>
                  <th className="n">Reads then</th>
                  <th className="n">You read</th>
                </tr>
              </thead>
              <tbody>
                {moved.map((w) => (
                  <tr key={w.pin} data-tried-pin={w.pin}>
                    <td style={{ fontWeight: 700, fontSize: 18 }}>{w.pin}</td>
                    <td>{w.function}</td>
                    <td className="n" style={{ color: v("ink2") }}>
                      {w.pin === strand.reference ? "reference" : (was(w.pin)?.now ?? "no wire")}
                    </td>
                    <td className="n" style={{ fontWeight: 750, fontSize: 18 }}>
                      {w.pin === so.strand?.reference ? "reference" : w.now}
                    </td>
                    <td className="n">
                      {w.measured ?? "not yet"} {w.mark === "expected" && <Tick size={15} />}
                    </td>
                  </tr>
                ))}
              </tbody>
            </Table>
          ) : (
            <Box>No pin of this plug reads otherwise for it, as the vehicle stands now.</Box>
          )}
          {(fit > 0 || odd > 0) && (
            <Box data-refit sx={{ fontWeight: 650, display: "flex", gap: 0.8, alignItems: "center" }}>
              {fit > 0 && <Tick size={16} />}
              {[
                fit > 0 ? `${counted(fit, "reading fits", "readings fit")} then that did not` : "",
                odd > 0 ? `${counted(odd, "reading fits", "readings fit")} no longer` : "",
              ]
                .filter((s) => s !== "")
                .join("; ")}
              .
            </Box>
          )}
          <Box>
            <Heading note="if it is kept so">Suspects</Heading>
            {so.suspects.slice(0, MOST).map((s) => {
              const before = bench.suspects.find((b) => b.class === s.class)?.percent ?? 0;
              return <Share key={s.class} percent={s.percent} before={before} name={s.name} />;
            })}
            {so.built_percent > 0 && (
              <Share
                percent={so.built_percent}
                before={bench.built?.percent ?? 0}
                name="Built otherwise"
                built
              />
            )}
            <Box sx={{ fontSize: 15, color: v("ink2"), pt: 0.4 }}>
              {so.nothing_percent} % nothing wrong, {so.outside_percent} % not on this drawing
            </Box>
          </Box>
        </>
      )}
      <Box sx={{ display: "flex", gap: 1, flexWrap: "wrap" }}>
        <Button
          variant="contained"
          ref={keep}
          onClick={onKeep}
          disabled={busy || so === undefined}
          data-keep-so
          sx={{ gap: 1 }}
        >
          Keep it so <Key>Enter</Key>
        </Button>
        <Button onClick={onDrop} data-as-it-was sx={{ gap: 1, ...pressed(false) }}>
          As it was <Key>Esc</Key>
        </Button>
      </Box>
    </Box>
  );
};

/** A suspect's share with the change, its share without it as a dashed line across the gauge. */
const Share = ({
  percent,
  before,
  name,
  built = false,
}: {
  percent: number;
  before: number;
  name: string;
  built?: boolean;
}) => (
  <Box
    sx={{
      display: "grid",
      gridTemplateColumns: "64px 18px minmax(0, 1fr) 52px",
      gap: 1,
      alignItems: "center",
      borderBottom: `1px solid ${v("rule")}`,
      minHeight: 36,
      fontSize: 16,
    }}
  >
    <b style={{ fontSize: 20, textAlign: "right", fontVariantNumeric: "tabular-nums" }}>{percent} %</b>
    {built ? (
      <Changeover size={18} />
    ) : (
      <svg width="14" height="30" aria-hidden="true">
        <rect x="1" y="1" width="12" height="28" fill="none" stroke={v("ruleStrong")} />
        <rect x="1" y={29 - percent * 0.28} width="12" height={percent * 0.28} fill={v("copperFill")} />
        <path
          d={`M0 ${String(29 - before * 0.28)}H14`}
          stroke={v("ink")}
          strokeWidth="1.6"
          strokeDasharray="3 2"
        />
      </svg>
    )}
    <span>{name}</span>
    <span style={{ textAlign: "right", color: v("ink2"), fontVariantNumeric: "tabular-nums" }}>
      {percent === before ? "same" : `${percent > before ? "+" : "−"}${String(Math.abs(percent - before))}`}
    </span>
  </Box>
);

/** A change in a few words, as it is tried. */
export const wordsOfTried = (c: Change, join?: Join): string => {
  if (c.what === "order") return "Wires on other pins";
  if (c.what === "join") {
    const to = join?.can.find((p) => p.id === c.to)?.name ?? c.to;
    return `Pin ${String(c.pin)} leads ${to == null ? "nowhere" : `to ${to}`}`;
  }
  if (c.what === "pull-up") return `Pulled up to ${String(c.volts)} V`;
  if (c.what === "normally-closed-brake") return "Opens when squeezed";
  return "Built so";
};
