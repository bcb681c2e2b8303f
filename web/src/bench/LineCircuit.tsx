import type { Schemas } from "../api/client";
import { v } from "../theme/tokens";

type Line = Schemas["LineView"];
type Pull = NonNullable<Line["up"]>;

/** One part of 44 in the line's way, at `x`: a resistor, a contact that is open or closed, a sensor. */
const Part = ({ pull, x }: { pull: Pull; x: number }) => {
  const ink = { stroke: v("ink"), strokeWidth: 1.8, fill: "none" };
  switch (pull.shape) {
    case "resistor":
      return (
        <g {...ink}>
          <path d={`M${String(x)} 17h10M${String(x + 34)} 17h10`} />
          <rect x={x + 10} y={11} width={24} height={12} fill={v("sheet")} />
        </g>
      );
    case "contact":
      return (
        <g {...ink}>
          <path d={`M${String(x)} 17h10M${String(x + 34)} 17h10`} />
          <path
            d={pull.closed ? `M${String(x + 12)} 17h20` : `M${String(x + 12)} 16l19 -10`}
            strokeWidth={pull.closed ? 3 : 1.8}
          />
          <circle cx={x + 12} cy={17} r={2.4} fill={v("sheet")} />
          <circle cx={x + 32} cy={17} r={2.4} fill={v("sheet")} />
        </g>
      );
    default:
      return (
        <g {...ink}>
          <path d={`M${String(x)} 17h8M${String(x + 36)} 17h8`} />
          <rect x={x + 8} y={8} width={28} height={18} fill={pull.closed ? v("ink") : v("sheet")} />
          <path
            d={`M${String(x + 15)} 21V13M${String(x + 29)} 21V13M${String(x + 15)} 17h14`}
            stroke={pull.closed ? v("sheet") : v("ink")}
          />
        </g>
      );
  }
};

/** A line as a small circuit: what pulls it up, the point where it is read, what pulls it down. */
export const LineCircuit = ({ line }: { line: Line }) => {
  const { up, down } = line;
  if (up == null && down == null) return null;
  const words = [up, down].map((p) => (p == null ? "nothing" : `${p.shape} to ${p.volts}`)).join(", then ");
  return (
    <svg
      width="176"
      height="32"
      viewBox="0 0 176 32"
      role="img"
      aria-label={words}
      style={{ display: "block" }}
    >
      {up != null && (
        <text x={0} y={22} fontSize={13} fontWeight={600} fill={v("ink")}>
          {up.volts}
        </text>
      )}
      <g transform="translate(44 0)">
        {up != null && <Part pull={up} x={0} />}
        <path d="M44 17h10" stroke={v("ink")} strokeWidth={1.8} />
        <path d="M49 12l-5 -9h10z" fill={v("probeRed")} />
        <circle cx={49} cy={17} r={3.2} fill={v("sheet")} stroke={v("ink")} strokeWidth={1.8} />
        {down != null && (
          <>
            <Part pull={down} x={54} />
            <path
              d="M98 17h8v6M100 23h12M103 26.5h6M105 30h2"
              stroke={v("ink")}
              strokeWidth={1.8}
              fill="none"
            />
          </>
        )}
      </g>
    </svg>
  );
};
