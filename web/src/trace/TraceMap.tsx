import Box from "@mui/material/Box";
import { memo, useEffect, useMemo, useRef, useState } from "react";
import type { SegmentShare, TraceMapData } from "../api/client";
import { insulation, v } from "../theme/tokens";
import { hatch, level } from "../ui/hatch";
import { layout } from "./layout";
import {
  cutPath,
  HEIGHT,
  textWidth,
  type Halo,
  type PlacedBox,
  type Plug,
  type Rect,
  type Tag,
  type Wire,
  type Layout,
} from "./shapes";

interface Props {
  map: TraceMapData;
  segments: SegmentShare[];
  /** Strand pressed. */
  onStrand?: (strand: string) => void;
  /** Assumed, not told: dashed. */
  dashed?: boolean;
  suspectsOnly?: boolean;
}

const WAYS: Record<string, [number, number]> = {
  ArrowLeft: [-1, 0],
  ArrowRight: [1, 0],
  ArrowUp: [0, -1],
  ArrowDown: [0, 1],
};

/** The plug that lies nearest in a direction: what is off to the side counts double. */
const nearest = (from: Plug, [dx, dy]: [number, number], all: Plug[]): Plug | undefined => {
  const middle = (p: Plug) => [p.x + p.w / 2, p.y + p.h / 2] as const;
  const [x, y] = middle(from);
  const far = (p: Plug) => {
    const [px, py] = middle(p);
    const along = (px - x) * dx + (py - y) * dy;
    const aside = Math.abs((px - x) * dy) + Math.abs((py - y) * dx);
    return along > 1 ? along + 2 * aside : Infinity;
  };
  return all
    .filter((p) => far(p) < Infinity)
    .sort((a, b) => far(a) - far(b))
    .at(0);
};

const Path = ({ map, segments, onStrand, dashed = false, suspectsOnly = false }: Props) => {
  const ref = useRef<HTMLDivElement>(null);
  const [width, setWidth] = useState(1280);
  useEffect(() => {
    const el = ref.current;
    if (!el) return;
    const set = () => {
      setWidth(el.clientWidth);
    };
    const watch = new ResizeObserver(set);
    watch.observe(el);
    set();
    return () => {
      watch.disconnect();
    };
  }, []);
  const l = useMemo(() => layout(map, segments, width), [map, segments, width]);
  const strands = segments.find((s) => s.id === "strands");
  const quiet = (w: Wire) =>
    suspectsOnly && !l.halos.some((h) => h.share >= 0.05 && h.points[0]?.[0] === w.points[0]?.[0]);
  return (
    <Box
      ref={ref}
      sx={{ width: "100%", overflowX: "auto", overflowY: "hidden", height: HEIGHT, flex: "none" }}
    >
      <svg
        width={l.width}
        height={HEIGHT}
        viewBox={`0 0 ${String(l.width)} ${String(HEIGHT)}`}
        role="group"
        aria-label="Current path of this vehicle"
        style={{ display: "block" }}
        data-map
      >
        {l.next && (
          <g>
            <path
              d={`M${String(l.next.x)} ${String(l.next.y)}h${String(l.next.w - 14)}l14 14v${String(l.next.h - 14)}h${String(-l.next.w)}z`}
              fill={v("sheet")}
              stroke={v("copperFill")}
              strokeWidth="3.2"
            />
          </g>
        )}
        {l.halos.map((h) => (
          <HaloPath key={h.key} halo={h} />
        ))}
        {l.wires.map((w) => (
          <WirePath key={w.key} wire={w} dashed={dashed} quiet={quiet(w)} />
        ))}
        <path d={axles(l)} stroke={v("ink")} strokeWidth="2" strokeDasharray="14 4 3 4" />
        {l.boxes
          .filter((b) => b.inside === undefined)
          .map((b) => (
            <BoxShape key={b.id} box={b} dashed={dashed} tagged={l.tags.some((t) => t.inside === b.id)} />
          ))}
        {l.boxes
          .filter((b) => b.inside !== undefined)
          .map((b) => (
            <BoxShape key={b.id} box={b} dashed={dashed} tagged={l.tags.some((t) => t.inside === b.id)} />
          ))}
        {l.plugs.map((p) => {
          const hit = hitArea(p, l.plugs);
          return (
            <g
              key={p.id + p.strand}
              role="button"
              tabIndex={onStrand ? 0 : -1}
              aria-label={`${p.name}, ${p.apart ? "apart" : "joined"}. ${flagWords(map, p.strand)}`}
              data-strand={p.strand}
              style={{ cursor: onStrand ? "pointer" : "default" }}
              onClick={() => onStrand?.(p.strand)}
              onKeyDown={(e) => {
                if (e.key === "Enter" || e.key === " ") {
                  e.preventDefault();
                  onStrand?.(p.strand);
                }
                const way = WAYS[e.key];
                const next = way && nearest(p, way, l.plugs);
                if (next) {
                  e.preventDefault();
                  ref.current?.querySelector<SVGGElement>(`[data-strand="${next.strand}"]`)?.focus();
                }
              }}
            >
              <rect {...hit} fill="transparent" />
              <rect x={p.x} y={p.y} width={p.w} height={p.h} fill={v("ink")} data-box={`plug-${p.strand}`} />
              {p.vertical ? (
                <path
                  d={`M${String(p.x + p.w / 2)} ${String(p.y + 2)}v${String(p.h - 4)}`}
                  stroke={v("paper")}
                  strokeWidth={p.apart ? 6 : 3}
                />
              ) : (
                <path
                  d={`M${String(p.x + 2)} ${String(p.y + p.h / 2)}h${String(p.w - 4)}`}
                  stroke={v("paper")}
                  strokeWidth={p.apart ? 6 : 3}
                />
              )}
            </g>
          );
        })}
        {l.labels.map((t) => (
          <g key={t.text + String(t.y)} pointerEvents="none">
            <rect
              x={t.x - 3}
              y={t.y - 12.5}
              width={textWidth(t.text, 14) + 8}
              height="16"
              fill={v("paper")}
            />
            <text x={t.x} y={t.y + 0.5} fontSize="14" fontWeight="600">
              {t.text}
            </text>
          </g>
        ))}
        {l.flags.map((f) => (
          <g key={f.strand} pointerEvents="none">
            {f.stem && (
              <path
                d={`M${String(f.stem[0])} ${String(f.stem[1])}V${String(f.stem[2])}`}
                stroke={v("ink3")}
                strokeWidth="1.6"
                strokeDasharray={f.kind === "expected" ? "3 2" : undefined}
              />
            )}
            <rect
              data-box={`flag-${f.strand}`}
              x={f.x}
              y={f.y}
              width={f.w}
              height={f.h}
              fill={f.kind === "off" ? v("copperTint") : v("sheet")}
              stroke={f.kind === "expected" ? v("ink3") : f.kind === "ok" ? v("verdigrisFill") : v("ink")}
              strokeWidth={f.kind === "off" ? 2 : 1.5}
              strokeDasharray={f.kind === "expected" ? "3 2" : undefined}
            />
            {f.kind === "ok" && <rect x={f.x} y={f.y} width="5" height={f.h} fill={v("verdigrisFill")} />}
            {f.kind === "off" && <path d={`M${String(f.x)} ${String(f.y + f.h)}v-9l9 9z`} fill={v("ink")} />}
            <text
              x={f.x + f.w / 2 + 1}
              y={f.y + 16}
              textAnchor="middle"
              fontSize={textWidth(f.text, 15) > f.w - 6 ? 12.5 : 15}
              {...(textWidth(f.text, 12.5) > f.w - 8
                ? { textLength: f.w - 8, lengthAdjust: "spacingAndGlyphs" }
                : {})}
              fontWeight={f.kind === "expected" ? 500 : 700}
            >
              {f.text}
            </text>
          </g>
        ))}
        {l.tags.map((t) => (
          <TagShape key={t.rank} tag={t} />
        ))}
        {strands && (
          <g data-box="strands">
            <text
              x={l.strands.x}
              y={l.strands.y + 15}
              fontSize={textWidth(strands.name, 15) + 48 > l.strands.w ? 13 : 15}
              fontWeight="700"
            >
              {strands.name}
            </text>
            <text
              x={l.strands.x + l.strands.w}
              y={l.strands.y + 15}
              fontSize="15"
              fontWeight="700"
              textAnchor="end"
            >
              {strands.percent} %
            </text>
            {strands.status === "suspected" ? (
              <rect
                x={l.strands.x}
                y={l.strands.y + 22}
                width={l.strands.w}
                height="14"
                fill={hatch(strands.share)}
                stroke={v("copperFill")}
                strokeWidth="1.2"
              />
            ) : (
              <rect
                x={l.strands.x}
                y={l.strands.y + 26}
                width={l.strands.w}
                height="7"
                fill={BAR[strands.status] ?? "none"}
                stroke={v("ruleStrong")}
              />
            )}
          </g>
        )}
        {l.strip.map(({ segment: s, x, w }) => {
          const narrow = w < 84;
          return (
            <g key={s.id} data-segment={s.id}>
              {s.status === "suspected" ? (
                <rect
                  x={x}
                  y={268}
                  width={w}
                  height={14}
                  fill={hatch(s.share)}
                  stroke={v("copperFill")}
                  strokeWidth="1.2"
                />
              ) : s.status === "cleared" ? (
                <rect x={x} y={275} width={w} height={7} fill={v("verdigrisFill")} />
              ) : (
                <rect
                  x={x + 0.5}
                  y={275}
                  width={w - 1}
                  height={7}
                  fill={BAR[s.status] ?? "none"}
                  stroke={v("ruleStrong")}
                  strokeWidth="1.2"
                />
              )}
              {s.status === "cleared" && (
                <path
                  d={`M${String(x + 1)} 295l3 4 7-8`}
                  fill="none"
                  stroke={v("verdigris")}
                  strokeWidth="2.4"
                />
              )}
              <text
                x={x + (s.status === "cleared" ? 14 : 0)}
                y={300}
                fontSize={narrow ? 13 : 15}
                fontWeight="600"
                style={{ fill: NAMED[s.status] ?? v("ink") }}
              >
                {stripName(s, w)}
              </text>
              {s.status === "suspected" && (
                <text x={x + w - 3} y={300} fontSize={narrow ? 13 : 15} fontWeight="700" textAnchor="end">
                  {s.percent} %
                </text>
              )}
              {(s.status === "unlooked" || s.status === "unlikely") && w > 150 && (
                <text x={x + w} y={300} fontSize="14" textAnchor="end" style={{ fill: v("ink2") }}>
                  {s.status === "unlikely" ? "unlikely" : "not measured"}
                </text>
              )}
            </g>
          );
        })}
      </svg>
    </Box>
  );
};

/** The vehicle's own current path, drawn from its graph; drawn again only when something of it is new. */
export const TraceMap = memo(Path);

/** Ground of a segment's bar by how it stands; a suspected one is hatched. */
const BAR: Record<string, string> = { cleared: v("verdigrisFill"), unlikely: v("rule") };

/** Colour of a segment's name by how it stands. */
const NAMED: Record<string, string> = { cleared: v("verdigris"), unlikely: v("ink2") };

/** A segment's name as its place under the strip holds it: whole, cut, or left to the bar alone. */
const stripName = (s: SegmentShare, room: number): string => {
  const free = room - (s.status === "cleared" ? 14 : s.status === "suspected" ? 38 : 0);
  if (textWidth(s.name, room < 84 ? 13 : 15) <= free) return s.name;
  const word = s.name.split(",")[0] ?? s.name;
  return [word, `${s.name.slice(0, 4)}.`].find((short) => textWidth(short, 13) <= free) ?? "";
};

const isMotor = (id: string): boolean => id.startsWith("motor-");
const isWheel = (id: string): boolean => id.startsWith("wheel-");

/** From the middle of every motor to that of its wheel. */
const axles = (l: Layout): string => {
  const wheels = l.boxes.filter((b) => isWheel(b.id));
  return l.boxes
    .filter((b) => isMotor(b.id))
    .map((m, k) => {
      const wheel = wheels[k] ?? m;
      return `M${String(m.x + m.w / 2)} ${String(m.y + m.h / 2)}H${String(wheel.x + wheel.w / 2)}`;
    })
    .join("");
};

const flagWords = (map: TraceMapData, id: string): string => {
  const s = map.strands.find((x) => x.id === id);
  if (!s) return "";
  return s.wires
    .filter((w) => w.pin !== s.reference)
    .map(
      (w) =>
        `Pin ${String(w.pin)}, ${w.code}, ${w.function}: expected ${w.now}, ${w.measured == null ? "not measured" : `measured ${w.measured}`}`,
    )
    .join(". ");
};

/** Touch area of a plug: 44 where there is room, never over a neighbour's. */
const hitArea = (p: Plug, all: Plug[]): { x: number; y: number; width: number; height: number } => {
  const cx = (r: Rect) => r.x + r.w / 2;
  const near = all.filter((o) => o !== p && Math.abs(o.y - p.y) < 44).map((o) => Math.abs(cx(o) - cx(p)));
  const width = Math.max(p.w, Math.min(44, ...near));
  const height = Math.max(p.h, 44);
  return { x: cx(p) - width / 2, y: p.y + p.h / 2 - height / 2, width, height };
};

const HALO = [0, 7, 10, 14, 18];

const HaloPath = ({ halo }: { halo: Halo }) => {
  const n = level(halo.share);
  if (n === 0) return null;
  const d = cutPath(halo.points);
  const width = halo.thick + 2 + (HALO[n] ?? 0) / 1.2;
  return (
    <g fill="none">
      {n >= 2 && (
        <path
          d={d}
          stroke={v("copperFill")}
          strokeWidth={width + (n === 4 ? 4 : 2.8)}
          strokeDasharray={n === 2 ? "5 3" : undefined}
        />
      )}
      <path d={d} stroke={v("copperTint")} strokeWidth={width} />
      {n >= 2 && <path d={d} stroke={`url(#h-copper-${String(n)})`} strokeWidth={width} />}
    </g>
  );
};

const WirePath = ({ wire, dashed, quiet }: { wire: Wire; dashed: boolean; quiet: boolean }) => {
  const d = cutPath(wire.points);
  const [base = "??", stripe] = wire.code.split("/");
  if (dashed)
    return (
      <path
        d={d}
        fill="none"
        stroke={v("ink3")}
        strokeWidth={wire.thick > 7 ? 3 : 1.6}
        strokeDasharray="6 5"
      />
    );
  return (
    <g fill="none" opacity={quiet ? 0.28 : 1}>
      <path d={d} stroke={v("casing")} strokeWidth={wire.thick + 2} />
      <path d={d} stroke={insulation[base] ?? insulation.GY} strokeWidth={wire.thick} />
      {stripe !== undefined && (
        <path
          d={d}
          stroke={insulation[stripe] ?? insulation.GY}
          strokeWidth={wire.thick}
          strokeDasharray="8 12"
          strokeDashoffset="-4"
        />
      )}
      {base === "??" && <path d={d} stroke={v("ink")} strokeWidth="2" />}
    </g>
  );
};

const BoxShape = ({ box: b, dashed, tagged }: { box: PlacedBox; dashed: boolean; tagged: boolean }) => {
  const n = level(b.share);
  const frame = n >= 1;
  const dash = dashed && b.id !== "pack" && !isMotor(b.id) ? "6 5" : undefined;
  if (isWheel(b.id)) return <WheelShape box={b} />;
  const cx = b.x + b.w / 2;
  const cy = b.y + b.h / 2;
  return (
    <g>
      {frame && !b.round && (
        <rect
          x={b.x - (b.inside ? 4 : 5)}
          y={b.y - (b.inside ? 4 : 3)}
          width={b.w + (b.inside ? 8 : 10)}
          height={b.h + (b.inside ? 8 : 6)}
          fill={hatch(b.share)}
          stroke={v("copperFill")}
          strokeWidth={n >= 3 ? 1.6 : 1}
        />
      )}
      {frame && b.round && (
        <circle
          cx={cx}
          cy={cy}
          r={b.w / 2 + 6}
          fill={hatch(b.share)}
          stroke={v("copperFill")}
          strokeWidth="1.4"
        />
      )}
      {b.round ? (
        <circle
          data-box={b.id}
          cx={cx}
          cy={cy}
          r={b.w / 2}
          fill={v("sheet")}
          stroke={v("ink")}
          strokeWidth="2.2"
        />
      ) : (
        <rect
          data-box={b.id}
          data-in={b.inside}
          x={b.x}
          y={b.y}
          width={b.w}
          height={b.h}
          fill={v("sheet")}
          stroke={dash ? v("ink3") : v("ink")}
          strokeWidth={b.inside ? 1.5 : 2.2}
          strokeDasharray={dash}
        />
      )}
      {b.id === "pack" && <PackLines x={b.x} y={b.y} w={b.w} />}
      {b.id === "protection" && (
        <path
          d={`M${String(b.x + 6)} ${String(b.y + 18)}h${String(b.w * 0.22)}l${String(b.w * 0.25)} -9M${String(b.x + b.w * 0.64)} ${String(b.y + 18)}h${String(b.w * 0.2)}`}
          fill="none"
          stroke={v("ink")}
          strokeWidth="2.2"
        />
      )}
      {isMotor(b.id) && b.font === undefined && (
        <circle cx={cx} cy={b.y + 62} r="11" fill="none" stroke={v("ink")} strokeWidth="2" />
      )}
      <text
        x={tagged || b.left ? b.x + 10 : cx}
        y={
          b.id === "controller" && !b.left
            ? b.y + 26
            : isMotor(b.id) && b.font === undefined
              ? b.y + 92
              : b.id === "pack" || b.id === "protection"
                ? b.y + 74
                : cy + 5.5
        }
        textAnchor={tagged || b.left ? "start" : "middle"}
        fontSize={b.font ?? (b.id === "controller" ? 18 : 15)}
        fontWeight="700"
      >
        {b.title}
      </text>
    </g>
  );
};

const PackLines = ({ x, y, w }: { x: number; y: number; w: number }) => (
  <path
    d={Array.from(
      { length: 13 },
      (_, k) => `M${String(x + 9 + (k * (w - 18)) / 12)} ${String(y + 8)}v15`,
    ).join("")}
    stroke={v("ink")}
    strokeWidth="1.6"
  />
);

const WheelShape = ({ box: b }: { box: PlacedBox }) => {
  const r = b.w / 2;
  const cx = b.x + r;
  const cy = b.y + r;
  return (
    <g>
      {level(b.share) > 0 && <circle cx={cx} cy={cy} r={r + 5} fill={hatch(b.share)} />}
      <circle data-box={b.id} cx={cx} cy={cy} r={r - 3} fill={v("paper")} stroke={v("ink")} strokeWidth="5" />
      <circle cx={cx} cy={cy} r={r - 10} fill="none" stroke={v("ink")} strokeWidth="1.2" />
      {Array.from({ length: 12 }, (_, k) => {
        const a = (k * Math.PI) / 6;
        return (
          <path
            key={k}
            d={`M${String(cx + 7 * Math.cos(a))} ${String(cy + 7 * Math.sin(a))}L${String(cx + (r - 10) * Math.cos(a))} ${String(cy + (r - 10) * Math.sin(a))}`}
            stroke={v("ink")}
            strokeWidth="1"
          />
        );
      })}
      <circle cx={cx} cy={cy} r={Math.min(7, r * 0.2)} fill={v("sheet")} stroke={v("ink")} strokeWidth="2" />
    </g>
  );
};

const TagShape = ({ tag: t }: { tag: Tag }) => (
  <g data-tag pointerEvents="none">
    <rect
      x={t.x}
      y={t.y}
      width={t.w}
      height={28}
      fill="none"
      data-box={`tag-${String(t.rank)}`}
      data-in={t.inside}
    />
    {t.leader && (
      <path
        d={`M${String(t.leader[0])} ${String(t.leader[1])}L${String(t.leader[2])} ${String(t.leader[3])}`}
        stroke={v("ink")}
        strokeWidth="2.4"
      />
    )}
    {!t.disc && (
      <rect
        x={t.x}
        y={t.y}
        width={t.w}
        height={28}
        rx={14}
        fill={v("sheet")}
        stroke={v("ink")}
        strokeWidth="1.8"
      />
    )}
    <circle cx={t.x + 14} cy={t.y + 14} r={14} fill={v("ink")} />
    <text
      x={t.x + 14}
      y={t.y + 20}
      textAnchor="middle"
      fontSize="16"
      fontWeight="700"
      style={{ fill: v("sheet") }}
    >
      {t.rank}
    </text>
    {!t.disc && (
      <text x={t.x + 34} y={t.y + 20} fontSize="17" fontWeight="750">
        {t.percent} %
      </text>
    )}
  </g>
);
