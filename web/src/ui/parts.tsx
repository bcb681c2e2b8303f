import Box from "@mui/material/Box";
import type { ReactNode } from "react";
import { v } from "../theme/tokens";

/** A key as it is printed on its button. */
/** The number key of a choice, small before its words. */
export const Digit = ({ children }: { children: ReactNode }) => (
  <Box
    component="kbd"
    sx={{ font: "inherit", fontSize: 13, fontWeight: 500, mr: 0.4, alignSelf: "flex-start" }}
  >
    {children}
  </Box>
);

export const Key = ({ children }: { children: ReactNode }) => (
  <Box
    component="kbd"
    sx={{
      font: "inherit",
      fontSize: 14,
      fontWeight: 500,
      border: "1.5px solid currentColor",
      borderRadius: "3px",
      minWidth: 24,
      height: 24,
      lineHeight: "21px",
      textAlign: "center",
      px: 0.6,
      display: "inline-block",
    }}
  >
    {children}
  </Box>
);

/** A tick, always drawn, never a character. */
export const Tick = ({ size = 18, color = v("verdigris") }: { size?: number; color?: string }) => (
  <svg width={size} height={size} viewBox="0 0 18 18" aria-hidden="true" style={{ flex: "none" }}>
    <path d="M3 9.5l4 4 8-9" fill="none" stroke={color} strokeWidth="2.6" />
  </svg>
);

/** Ink triangle: reads off, or an error at the place it concerns. */
export const Triangle = ({ size = 18 }: { size?: number }) => (
  <svg width={size} height={size} viewBox="0 0 18 18" aria-hidden="true" style={{ flex: "none" }}>
    <path d="M9 2l8 14H1z" fill={v("ink")} />
    <path d="M9 7v4.6M9 13v1.8" stroke={v("sheet")} strokeWidth="1.8" />
  </svg>
);

export const Lock = ({ size = 20, color = v("ink") }: { size?: number; color?: string }) => (
  <svg width={size} height={size} viewBox="0 0 20 20" aria-hidden="true" style={{ flex: "none" }}>
    <path d="M4 9h12v9H4z" fill={color} />
    <path d="M6.5 9V6a3.5 3.5 0 0 1 7 0v3" fill="none" stroke={color} strokeWidth="2.2" />
  </svg>
);

/** An error where it happened: triangle, sentence, maybe buttons. */
export const ErrorLine = ({
  children,
  id,
  tight = false,
}: {
  children: ReactNode;
  id?: string;
  /** Where every line counts. */
  tight?: boolean;
}) => (
  <Box
    id={id}
    role="alert"
    sx={{
      display: "flex",
      gap: 1,
      alignItems: "center",
      borderLeft: `3px solid ${v("copperFill")}`,
      pl: 1,
      py: tight ? 0 : 0.5,
      my: tight ? 0 : 0.8,
      fontSize: tight ? 14.5 : 16,
      lineHeight: tight ? 1.15 : undefined,
      fontWeight: 550,
    }}
  >
    <Triangle />
    <span>{children}</span>
  </Box>
);

/** The one keyed card of a screen: copper edge, one corner cut. */
export const KeyedCard = ({
  children,
  sx = {},
  label,
}: {
  children: ReactNode;
  sx?: object;
  label: string;
}) => (
  <Box component="section" aria-label={label} sx={{ position: "relative", minHeight: 0, ...sx }}>
    <Box
      component="svg"
      aria-hidden="true"
      sx={{ position: "absolute", inset: 0, width: "100%", height: "100%", overflow: "visible" }}
    >
      <CutOutline />
    </Box>
    <Box sx={{ position: "relative", height: "100%" }}>{children}</Box>
  </Box>
);

// Percent coordinates cannot be mixed with pixels in a path, so the frame is drawn as a rectangle with
// the corner covered and its cut drawn in a nested viewport that hangs at the right edge.
const CutOutline = () => (
  <>
    <rect
      x="1.5"
      y="1.5"
      width="100%"
      height="100%"
      fill={v("sheet")}
      stroke={v("copperFill")}
      strokeWidth="3"
      style={{ width: "calc(100% - 3px)", height: "calc(100% - 3px)" }}
    />
    <svg x="100%" overflow="visible">
      <path d="M-24 -2H3V25z" fill={v("paper")} />
      <path d="M-23.5 1.5L-1.5 23.5" stroke={v("copperFill")} strokeWidth="3" />
    </svg>
  </>
);

/** A figure with its unit: a small gap that never breaks, the unit at half size. */
export const Reading = ({ text, size = 20 }: { text: string; size?: number }) => {
  // “1 or more” has no unit
  const cut = /^[\d\u2212][^a-z]*(to [^a-z]*)?\S+$/i.test(text) ? text.lastIndexOf(" ") : -1;
  const number = cut < 0 ? text : text.slice(0, cut);
  const unit = cut < 0 ? "" : text.slice(cut + 1);
  return (
    <Box component="span" sx={{ fontSize: size, fontWeight: 700, whiteSpace: "nowrap" }}>
      {number}
      {unit && (
        <Box component="span" sx={{ fontSize: Math.max(15, size * 0.48), ml: "0.12em", fontWeight: 650 }}>
          {unit}
        </Box>
      )}
    </Box>
  );
};

/** A disc with a rank or a number. */
export const Disc = ({ children, size = 30 }: { children: ReactNode; size?: number }) => (
  <Box
    component="span"
    sx={{
      width: size,
      height: size,
      flex: "none",
      borderRadius: "50%",
      background: v("ink"),
      color: v("sheet"),
      display: "inline-grid",
      placeItems: "center",
      fontSize: size * 0.56,
      fontWeight: 700,
    }}
  >
    {children}
  </Box>
);

export const Heading = ({ children, note }: { children: ReactNode; note?: ReactNode }) => (
  <Box
    component="h2"
    sx={{ m: 0, fontSize: 21, fontWeight: 700, display: "flex", alignItems: "baseline", gap: 1.2 }}
  >
    <span>{children}</span>
    {note !== undefined && (
      <Box component="span" sx={{ fontSize: 15, fontWeight: 500, color: v("ink2") }}>
        {note}
      </Box>
    )}
  </Box>
);
