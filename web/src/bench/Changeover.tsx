import { v } from "../theme/tokens";

/** Built otherwise: an ink square with a changeover contact, no suspect. */
export const Changeover = ({ size = 28 }: { size?: number }) => (
  <svg width={size} height={size} viewBox="0 0 28 28" aria-hidden="true" style={{ flex: "none" }}>
    <rect width="28" height="28" fill={v("ink")} />
    <g stroke={v("sheet")} strokeWidth="1.8" fill="none">
      <path d="M4 14H8M11 13L18 8M21 7H25M21 21H25" />
      <circle cx="9.5" cy="14" r="1.8" />
      <circle cx="19.5" cy="7.4" r="1.8" />
      <circle cx="19.5" cy="20.6" r="1.8" />
    </g>
  </svg>
);
