import { v } from "../theme/tokens";

/** Level of suspicion for a share: 0 none, 4 a quarter and over. */
export const level = (share: number): 0 | 1 | 2 | 3 | 4 =>
  share >= 0.25 ? 4 : share >= 0.12 ? 3 : share >= 0.05 ? 2 : share >= 0.02 ? 1 : 0;

/** All hatch patterns of the page, defined once. Copper 45°: suspicion; ink: the legend of bands. */
export const Hatches = () => (
  <svg width="0" height="0" aria-hidden="true" style={{ position: "absolute" }}>
    <defs>
      {[
        [1, 8, 1],
        [2, 6.5, 1.5],
        [3, 5, 1.9],
        [4, 4.2, 2.5],
      ].map(([l, pitch, width]) => (
        <pattern
          key={l}
          id={`h-copper-${String(l)}`}
          width={pitch}
          height={pitch}
          patternUnits="userSpaceOnUse"
          patternTransform="rotate(45)"
        >
          <rect width={pitch} height={pitch} fill={v("copperTint")} />
          {l !== 1 && <rect width={width} height={pitch} fill={v("copperFill")} />}
        </pattern>
      ))}
      <pattern id="h-low" width="6" height="6" patternUnits="userSpaceOnUse" patternTransform="rotate(45)">
        <rect width="1.3" height="6" fill={v("ink3")} />
      </pattern>
      <pattern
        id="h-nothing"
        width="6"
        height="6"
        patternUnits="userSpaceOnUse"
        patternTransform="rotate(45)"
      >
        <path d="M0 0H6M0 0V6" stroke={v("ink3")} strokeWidth="1.3" />
      </pattern>
      <pattern id="h-high" width="6" height="6" patternUnits="userSpaceOnUse">
        <circle cx="2" cy="2" r="1.1" fill={v("ink3")} />
      </pattern>
    </defs>
  </svg>
);

export const hatch = (share: number): string => {
  const l = level(share);
  return l === 0 ? "none" : `url(#h-copper-${String(l)})`;
};
