import { insulation, v } from "../theme/tokens";

/** One half of a pin as a path: left of its middle, or right. */
const half = (x: number, y: number, r: number, left: boolean): string =>
  `M${String(x)} ${String(y - r)}A${String(r)} ${String(r)} 0 0 ${left ? "0" : "1"} ${String(x)} ${String(y + r)}Z`;

/** The colours of a pin on both halves of its plug: the harness half's at the left, the device half's at the right. */
export const PinColours = ({
  x,
  y,
  r,
  code,
  leadCode,
}: {
  x: number;
  y: number;
  r: number;
  code: string;
  leadCode?: string | null;
}) => {
  const sides = [code, leadCode ?? code].map((c) => c.split("/"));
  return (
    <g data-halves={leadCode == null ? undefined : `${code} ${leadCode}`}>
      {sides.map(([base = "??", stripe], k) => (
        <g key={k}>
          <path d={half(x, y, r, k === 0)} fill={insulation[base] ?? insulation.GY} />
          {stripe !== undefined && (
            <path
              d={`M${String(x)} ${String(y)}h${String((k === 0 ? -1 : 1) * (r - 1))}`}
              stroke={insulation[stripe]}
              strokeWidth={r * 0.6}
            />
          )}
        </g>
      ))}
      <circle cx={x} cy={y} r={r} fill="none" stroke={v("casing")} strokeWidth="1.6" />
      <path d={`M${String(x)} ${String(y - r)}v${String(2 * r)}`} stroke={v("sheet")} strokeWidth="3" />
      <path d={`M${String(x)} ${String(y - r)}v${String(2 * r)}`} stroke={v("casing")} strokeWidth="1" />
    </g>
  );
};
