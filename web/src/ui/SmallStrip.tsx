import type { SegmentShare } from "../api/client";
import { v } from "../theme/tokens";
import { hatch } from "./hatch";

const height = (share: number, full: number) => Math.max(5, Math.min(1, share / 0.5) * full);

/** The current path in small: seven segments, a stem with a ball for the signal strands. */
export const SmallStrip = ({
  segments,
  width,
  tall,
  fill = false,
}: {
  segments: SegmentShare[];
  width: number;
  tall: boolean;
  /** As wide as what it stands in. */
  fill?: boolean;
}) => {
  const full = tall ? 30 : 18;
  const stem = tall ? 15 : 5;
  const path = segments.filter((s) => s.id !== "strands");
  const strands = segments.find((s) => s.id === "strands");
  const one = (width - 3 * (path.length - 1)) / path.length;
  const base = full + stem;
  const text = segments
    .filter((s) => s.status === "suspected")
    .map((s) => `${s.name} ${String(s.percent)} %`)
    .join(", ");
  return (
    <svg
      {...(fill ? {} : { width, height: base + 4 })}
      viewBox={`0 0 ${String(width)} ${String(base + 4)}`}
      role="img"
      aria-label={text || "nothing suspected yet"}
      style={{ display: "block", flex: "none", ...(fill ? { width: "100%" } : {}) }}
    >
      {path.map((s, k) => {
        const x = k * (one + 3);
        if (s.status === "suspected") {
          const h = height(s.share, full - 4);
          return (
            <rect
              key={s.id}
              x={x + 0.6}
              y={base - h + 3}
              width={one - 1.2}
              height={h}
              fill={hatch(s.share)}
              stroke={v("copperFill")}
              strokeWidth="1.2"
            />
          );
        }
        return s.status === "cleared" ? (
          <rect key={s.id} x={x} y={base - 1} width={one} height={4} fill={v("verdigrisFill")} />
        ) : (
          <rect
            key={s.id}
            x={x + 0.6}
            y={base - 1}
            width={one - 1.2}
            height={3.4}
            fill={s.status === "unlikely" ? v("rule") : "none"}
            stroke={v("ruleStrong")}
            strokeWidth="1.2"
          />
        );
      })}
      {strands && (
        <g>
          <path
            d={`M${String(3.5 * (one + 3) - 1.5)} ${String(base - 2)}V${String(tall ? 6 : 4)}`}
            stroke={
              strands.status === "suspected"
                ? v("copperFill")
                : strands.status === "cleared"
                  ? v("verdigrisFill")
                  : v("ruleStrong")
            }
            strokeWidth={strands.status === "suspected" ? Math.min(7, 2 + (strands.share * 100) / 9) : 2}
          />
          <circle
            cx={3.5 * (one + 3) - 1.5}
            cy={tall ? 5 : 3}
            r={tall ? 4 : 2.6}
            fill={
              strands.status === "suspected"
                ? v("copperFill")
                : strands.status === "cleared"
                  ? v("verdigrisFill")
                  : v("ruleStrong")
            }
          />
        </g>
      )}
    </svg>
  );
};

/** The two highest shares in words, for beneath a strip. */
export const stripWords = (segments: SegmentShare[]): [string, string] => {
  const top = segments.filter((s) => s.status === "suspected").sort((a, b) => b.share - a.share);
  const word = (s: SegmentShare | undefined) =>
    s ? `${s.id === "strands" ? "Signals" : s.name} ${String(s.percent)} %` : "";
  return [word(top[0]), word(top[1])];
};
