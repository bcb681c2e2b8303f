import Box from "@mui/material/Box";
import type { BandView, Card } from "../api/client";
import { v } from "../theme/tokens";
import type { Parsed } from "../reading/parse";
import { whole } from "../ui/format";

const FILL: Record<string, string> = {
  expected: v("verdigrisTint"),
  low: "url(#h-low)",
  nothing: "url(#h-nothing)",
  high: "url(#h-high)",
  open: "url(#h-nothing)",
  stuck: "url(#h-high)",
};

/** Which band a figure falls into: -1 when none. */
const bandOf = (bands: BandView[], card: Card, parsed: Parsed | undefined): number => {
  if (!parsed?.ok) return -1;
  const f = parsed.figure;
  if (card.changes && bands.every((b) => b.from == null && b.to == null)) {
    const lowTop = card.expected_low ?? 0;
    const highTop = card.expected_high ?? 5;
    const swing = highTop - lowTop;
    const kinds =
      f.high - f.low > 0.5 * swing
        ? "expected"
        : f.low > lowTop + 0.5 * swing
          ? "stuck"
          : f.high < lowTop + 0.3 * swing
            ? "nothing"
            : "low";
    return bands.findIndex((b) => b.kind === kinds);
  }
  if (f.overRange) return bands.length - 1;
  return bands.findIndex(
    (b, k) => (b.from == null || f.low >= b.from) && (b.to == null || f.low < b.to || k === bands.length - 1),
  );
};

/** The expected-reading ruler: bands not to scale with each other, each linear inside itself. */
export const Ruler = ({ card, parsed }: { card: Card; parsed: Parsed | undefined }) => {
  const bands = card.bands;
  const lit = bandOf(bands, card, parsed);
  const band = bands[lit];
  let inside = 0.5;
  if (
    band &&
    parsed?.ok &&
    !parsed.figure.overRange &&
    band.from != null &&
    band.to != null &&
    band.to > band.from
  )
    inside = Math.min(0.97, Math.max(0.03, (parsed.figure.low - band.from) / (band.to - band.from)));
  return (
    <Box
      role="list"
      aria-label="What each reading would mean"
      sx={{
        display: "flex",
        width: "100%",
        position: "relative",
        pt: bands.some((b) => b.from_text != null) ? "20px" : 0,
      }}
    >
      {bands.map((b, k) => {
        const on = k === lit;
        return (
          <Box
            role="listitem"
            key={k}
            data-band={b.kind}
            sx={{ flex: b.kind === "expected" ? 1.35 : 1, minWidth: 92, position: "relative" }}
          >
            {k > 0 && b.from_text && (
              <Box
                sx={{
                  position: "absolute",
                  top: -21,
                  left: 0,
                  transform: "translateX(-50%)",
                  fontSize: 14.5,
                  fontWeight: 650,
                  whiteSpace: "nowrap",
                  background: v("sheet"),
                  px: 0.3,
                }}
              >
                {b.from_text}
              </Box>
            )}
            <Box component="svg" width="100%" height="24" sx={{ display: "block" }} aria-hidden="true">
              <rect
                x="0"
                y="1"
                width="100%"
                height="22"
                fill={FILL[b.kind] ?? "none"}
                stroke={b.kind === "expected" ? v("verdigrisFill") : v("ink")}
                strokeWidth={b.kind === "expected" ? 3 : 1.5}
              />
            </Box>
            {on && (
              <Box
                sx={{
                  position: "absolute",
                  top: -6,
                  left: `${String(inside * 100)}%`,
                  transform: "translateX(-50%)",
                }}
              >
                <svg width="18" height="32" aria-hidden="true">
                  <path d="M0 0h18l-9 12z" fill={v("ink")} />
                  <path d="M9 8v24" stroke={v("ink")} strokeWidth="3" />
                </svg>
              </Box>
            )}
            <Box
              sx={{
                textAlign: "center",
                px: 0.4,
                py: 0.2,
                minHeight: 38,
                "@container card (max-height: 270px)": { minHeight: 0 },
                background: on ? v("ink") : "transparent",
                color: on ? v("sheet") : v("ink"),
              }}
            >
              <Box
                sx={{
                  fontSize: 15.5,
                  fontWeight: 650,
                  lineHeight: 1.15,
                  whiteSpace: "nowrap",
                  overflow: "hidden",
                  textOverflow: "ellipsis",
                }}
              >
                {b.name}
              </Box>
              <Box
                sx={{
                  fontSize: 13.5,
                  lineHeight: 1.15,
                  display: "-webkit-box",
                  WebkitLineClamp: 2,
                  WebkitBoxOrient: "vertical",
                  overflow: "hidden",
                  // half a line helps nobody: where the card is low, “why this” has it
                  "@container card (max-height: 270px)": { display: "none" },
                }}
              >
                {whole(b.effect)}
              </Box>
            </Box>
          </Box>
        );
      })}
    </Box>
  );
};
