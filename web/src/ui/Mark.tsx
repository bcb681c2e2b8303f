import { v } from "../theme/tokens";

/** The mark: a box on the current path, two copper strands from above, one straight, one turning. */
export const Mark = ({ size = 34 }: { size?: number }) => (
  <svg width={size} height={size} viewBox="0 0 40 40" aria-hidden="true">
    <path d="M1 27h38" stroke={v("ink")} strokeWidth="5" />
    <path d="M14 20V2M25 20v-8l7-7h7" fill="none" stroke={v("copperFill")} strokeWidth="4.4" />
    <path d="M8 18h24v17H8z" fill={v("sheet")} stroke={v("ink")} strokeWidth="4" />
  </svg>
);
