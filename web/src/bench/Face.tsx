import type { FaceView } from "../api/client";
import { insulation, v } from "../theme/tokens";
import { FaceBody } from "./FaceBody";
import { pinAt } from "./facePins";

/** Numerals on an insulation colour: the colours are the same in both drawings, so is this ink. */
const INSIDE = "#1A1D1F";

/** The connector face with the two pins to touch. Looking into the pins when apart, at the wires' backs
 * when joined. */
export const Face = ({ face, size = 218 }: { face: FaceView; size?: number }) => {
  const c = size / 2;
  const r = c - 8;
  const n = face.pins.length;
  const at = (k: number): [number, number] => pinAt(face.shape, n, k, size);
  const tip = (pin: number | null | undefined, red: boolean) => {
    const k = face.pins.findIndex((p) => p.pin === pin);
    if (k < 0) return null;
    const [x, y] = at(k);
    // the tip comes from outside, never across another pin
    const inner = n > 6 && k < 3;
    const away = Math.hypot(x - c, y - c) || 1;
    const flat = face.shape === "flat" || n <= 3;
    const [ux, uy] = inner || flat ? [red ? -0.34 : 0.34, 0.94] : [(x - c) / away, (y - c) / away];
    const reach = flat ? size - y - 4 : inner ? size - y - 6 : r + 26 - away;
    const hx = x + ux * reach;
    const hy = y + uy * reach;
    const color = red ? v("probeRed") : v("probeBlack");
    return (
      <g key={red ? "red" : "black"} stroke={v("sheet")} strokeWidth="6" strokeLinecap="butt">
        <path d={`M${String(x)} ${String(y)}L${String(hx)} ${String(hy)}`} />
        <path d={`M${String(x)} ${String(y)}L${String(hx)} ${String(hy)}`} stroke={color} strokeWidth="3" />
        <path
          d={`M${String(x + (hx - x) * 0.5)} ${String(y + (hy - y) * 0.5)}L${String(hx)} ${String(hy)}`}
          stroke={color}
          strokeWidth="13"
        />
        {red && (
          <path
            d={`M${String(x + (hx - x) * 0.66)} ${String(y + (hy - y) * 0.66)}L${String(x + (hx - x) * 0.74)} ${String(y + (hy - y) * 0.74)}`}
            stroke={v("sheet")}
            strokeWidth="13"
          />
        )}
      </g>
    );
  };
  return (
    <svg
      overflow="visible"
      width={size}
      height={size}
      viewBox={`0 0 ${String(size)} ${String(size)}`}
      role="img"
      aria-label={`${face.name}: red on ${String(face.red ?? "elsewhere")}, black on ${String(face.black ?? "elsewhere")}`}
    >
      <FaceBody shape={face.shape} size={size} tall={92} />
      {face.pins.map((p, k) => {
        const [x, y] = at(k);
        const active = p.pin === face.red || p.pin === face.black;
        const big = n > 6 && k < 3;
        const rr = big ? 15 : 12;
        const touched = face.harness_half ? p.code : (p.lead_code ?? p.code);
        const [base = "GY", stripe] = (touched ?? "GY").split("/");
        const dx = x - c;
        const dy = y - c;
        const d = Math.hypot(dx, dy) || 1;
        const out = rr + (active ? 17 : 13);
        const inward = n > 6 && k >= 3 ? -1 : 1;
        const [tx, ty] =
          face.shape === "flat"
            ? [x, y - 26]
            : n > 6 && k < 3
              ? [x, y + 5]
              : [x + ((dx / d) * out * inward || 0), y + (dy / d) * out * inward + 6];
        return (
          <g key={p.pin}>
            {p.code == null ? (
              <circle
                cx={x}
                cy={y}
                r={rr}
                fill="none"
                stroke={v("ruleStrong")}
                strokeWidth="1.5"
                strokeDasharray="3 2"
              />
            ) : (
              <>
                <circle cx={x} cy={y} r={rr} fill={insulation[base]} stroke={v("casing")} strokeWidth="1.4" />
                {stripe !== undefined && (
                  <path
                    d={`M${String(x - rr)} ${String(y)}h${String(rr * 2)}`}
                    stroke={insulation[stripe]}
                    strokeWidth="5"
                  />
                )}
                {!big && (
                  <circle
                    cx={x}
                    cy={y}
                    r={rr * 0.4}
                    fill={face.harness_half ? v("sheet") : v("ink")}
                    stroke={v("ink")}
                    strokeWidth="1.2"
                  />
                )}
              </>
            )}
            {active && <circle cx={x} cy={y} r={rr + 4} fill="none" stroke={v("ink")} strokeWidth="3" />}
            <text
              x={tx}
              y={ty}
              textAnchor="middle"
              fontSize={active ? 22 : 16}
              fontWeight={active ? 800 : 500}
              stroke={big ? "#fff" : v("sheet")}
              strokeWidth="3.4"
              paintOrder="stroke"
              style={big ? { fill: INSIDE } : undefined}
            >
              {p.pin}
            </text>
          </g>
        );
      })}
      {tip(face.red, true)}
      {tip(face.black, false)}
    </svg>
  );
};
