import type { MapStrand } from "../api/client";
import { v } from "../theme/tokens";
import { FaceBody } from "./FaceBody";
import { PinColours } from "./PinColours";
import { pinAt } from "./facePins";

const STEP: Record<string, number> = { ArrowRight: 1, ArrowDown: 1, ArrowLeft: -1, ArrowUp: -1 };

/** The face of a strand's plug, its pins to press: arrows go from pin to pin. */
export const PlugFace = ({
  strand,
  picked,
  moving,
  size,
  ghosts = [],
  onPick,
}: {
  strand: MapStrand;
  picked: number;
  /** The next press says where the wire of the picked pin goes. */
  moving: boolean;
  size: number;
  /** Pins that wires are tried away from, and those that they are tried on. */
  ghosts?: [number, number][];
  onPick: (pin: number) => void;
}) => {
  const n = strand.pins.length;
  const own = (pin: number): boolean => strand.wires.some((w) => w.pin === pin);
  const gap =
    n > 1 ? Math.abs(pinAt(strand.shape, n, 1, size)[0] - pinAt(strand.shape, n, 0, size)[0]) : size;
  const rr = strand.shape === "flat" ? Math.min(26, gap * 0.4) : n > 8 ? 18 : 27;
  return (
    <svg
      width={size}
      height={size}
      viewBox={`0 0 ${String(size)} ${String(size)}`}
      role="group"
      aria-label={`${strand.plug_name}, looking into the pins`}
    >
      <FaceBody shape={strand.shape} size={size} tall={132} />
      {ghosts.map(([from, to]) => {
        const at = (pin: number) =>
          pinAt(
            strand.shape,
            n,
            strand.pins.findIndex((p) => p.pin === pin),
            size,
          );
        const [x, y] = at(from);
        const [u, w] = at(to);
        // bent to one side, so that two that change places do not lie on each other
        const [mx, my] = [(x + u) / 2 + (w - y) * 0.22, (y + w) / 2 - (u - x) * 0.22];
        return (
          <path
            key={from}
            data-ghost={from}
            d={`M${String(x)} ${String(y)}Q${String(mx)} ${String(my)} ${String(u)} ${String(w)}`}
            fill="none"
            stroke={v("copperFill")}
            strokeWidth="3"
            strokeDasharray="6 4"
          />
        );
      })}
      {strand.pins.map((p, k) => {
        const [x, y] = pinAt(strand.shape, n, k, size);
        const mine = own(p.pin);
        const on = p.pin === picked;
        return (
          <g
            key={p.pin}
            role="button"
            tabIndex={on ? 0 : -1}
            aria-pressed={on}
            aria-disabled={!mine}
            aria-label={`Pin ${String(p.pin)}, ${
              p.code == null
                ? "empty"
                : `${p.code === "??" ? "colour not noted" : p.code}${p.lead_code == null ? "" : `, ${p.lead_code} on the device half`}, ${p.function ?? ""}`
            }`}
            data-face-pin={p.pin}
            style={{ cursor: "pointer", outlineOffset: 2 }}
            onClick={() => {
              onPick(p.pin);
            }}
            onKeyDown={(e) => {
              if (e.key === "Enter" || e.key === " ") {
                e.preventDefault();
                onPick(p.pin);
              }
              const by = STEP[e.key];
              const next = by && strand.pins[(k + by + n) % n];
              if (next) {
                e.preventDefault();
                const face = e.currentTarget.parentElement;
                face?.querySelector<SVGGElement>(`[data-face-pin="${String(next.pin)}"]`)?.focus();
              }
            }}
          >
            <circle cx={x} cy={y} r={rr + 6} fill="transparent" />
            {p.code == null ? (
              <circle
                cx={x}
                cy={y}
                r={rr}
                fill="none"
                stroke={v("ruleStrong")}
                strokeWidth="1.6"
                strokeDasharray="4 3"
              />
            ) : (
              <g opacity={mine ? 1 : 0.35}>
                <PinColours x={x} y={y} r={rr} code={p.code} leadCode={p.lead_code} />
              </g>
            )}
            {on && (
              <circle
                cx={x}
                cy={y}
                r={rr + 4}
                fill="none"
                stroke={v("copperFill")}
                strokeWidth="4"
                strokeDasharray={moving ? "7 4" : undefined}
              />
            )}
            <circle cx={x} cy={y} r={rr * 0.52} fill={v("sheet")} stroke={v("casing")} strokeWidth="1.2" />
            <text x={x} y={y + rr * 0.26} textAnchor="middle" fontSize={rr * 0.74} fontWeight="750">
              {p.pin}
            </text>
          </g>
        );
      })}
    </svg>
  );
};
