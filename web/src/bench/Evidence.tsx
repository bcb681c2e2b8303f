import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import { useEffect, useRef } from "react";
import type { Tile } from "../api/client";
import { v } from "../theme/tokens";
import { Key, Reading, Tick, Triangle } from "../ui/parts";

const Mark = ({ mark }: { mark: string }) =>
  mark === "expected" ? (
    <Box
      sx={{
        width: 20,
        height: 20,
        borderRadius: "50%",
        background: v("verdigrisFill"),
        display: "grid",
        placeItems: "center",
        flex: "none",
      }}
    >
      <Tick size={13} color="#fff" />
    </Box>
  ) : mark === "off" ? (
    <Triangle size={19} />
  ) : mark === "unsteady" ? (
    <svg width="20" height="14" aria-hidden="true">
      <path d="M1 7c3-8 6-8 9 0s6 8 9 0" fill="none" stroke={v("ink")} strokeWidth="2.4" />
    </svg>
  ) : mark === "nothing" ? (
    <svg width="16" height="16" aria-hidden="true">
      <path d="M2 2l12 12M14 2L2 14" stroke={v("ink")} strokeWidth="2.4" />
    </svg>
  ) : null;

/** Everything taken, newest at the right; a wrong one is struck through, never erased. */
export const EvidenceStrip = ({
  tiles,
  onPick,
  onUndo,
  busy,
}: {
  tiles: Tile[];
  onPick: (t: Tile) => void;
  onUndo: (t: Tile) => void;
  busy: boolean;
}) => {
  const strip = useRef<HTMLDivElement>(null);
  const last = [...tiles].reverse().find((t) => !t.voided);
  useEffect(() => {
    const box = strip.current;
    const all = box ? [...box.querySelectorAll<HTMLElement>("[data-tile]")] : [];
    const end = all[all.length - 1]?.getBoundingClientRect().right;
    if (!box || end === undefined) return;
    // the newest at the right, and the first one in sight whole
    const first = all.find((t) => end - t.getBoundingClientRect().left <= box.clientWidth);
    if (first) box.scrollLeft += first.getBoundingClientRect().left - box.getBoundingClientRect().left;
  }, [tiles.length]);
  return (
    <Box
      component="footer"
      aria-label="Evidence"
      sx={{
        height: 58,
        flex: "none",
        display: "flex",
        borderTop: `1.5px solid ${v("ink")}`,
        background: v("sheet"),
      }}
    >
      <Box sx={{ width: 108, flex: "none", px: 1.5, py: 0.5, borderRight: `1px solid ${v("ruleStrong")}` }}>
        <Box sx={{ fontSize: 14, color: v("ink2") }}>Evidence</Box>
        <Box sx={{ fontSize: 19, fontWeight: 700 }} data-taken={tiles.filter((t) => !t.voided).length}>
          {tiles.filter((t) => !t.voided).length} taken
        </Box>
      </Box>
      <Box
        ref={strip}
        sx={{
          flex: 1,
          display: "flex",
          overflowX: "auto",
          overflowY: "hidden",
          scrollbarWidth: "none",
          // room behind the last, so that any tile can stand at the left edge: a tile is 230 wide at most
          "&::after": { content: '""', flex: "0 0 232px" },
        }}
      >
        {tiles.length === 0 && (
          <Box sx={{ p: 1.8, fontSize: 16, color: v("ink2") }}>No readings yet. The first one is above.</Box>
        )}
        {tiles.map((t) => (
          <Box
            key={t.entry}
            component="button"
            type="button"
            data-tile={t.test}
            onClick={() => {
              onPick(t);
            }}
            sx={{
              font: "inherit",
              color: v("ink"),
              textAlign: "left",
              flex: "none",
              minWidth: 132,
              maxWidth: 230,
              border: 0,
              borderRight: `1px solid ${v("ruleStrong")}`,
              borderLeft:
                t.mark === "off" && !t.voided ? `3px solid ${v("copperFill")}` : "3px solid transparent",
              background: t.mark === "off" && !t.voided ? v("copperTint") : "transparent",
              px: 1.2,
              cursor: "pointer",
              textDecoration: t.voided ? "line-through" : "none",
              outline: t.surprising ? `2px dashed ${v("ink")}` : undefined,
              outlineOffset: "-4px",
            }}
          >
            <Box sx={{ fontSize: 14, whiteSpace: "nowrap", overflow: "hidden", textOverflow: "ellipsis" }}>
              {t.number} {t.name}
            </Box>
            <Box
              sx={{
                display: "flex",
                gap: 0.8,
                alignItems: "center",
                whiteSpace: "nowrap",
                overflow: "hidden",
              }}
            >
              <Mark mark={t.mark} />
              <Reading text={t.value} size={t.value.length > 14 ? 16 : 19} />
              {t.words && <span style={{ fontSize: 14.5, fontWeight: 600 }}>{t.words}</span>}
            </Box>
          </Box>
        ))}
      </Box>
      <Box
        sx={{ px: 1.2, display: "grid", placeItems: "center", borderLeft: `1px solid ${v("ruleStrong")}` }}
      >
        <Button
          data-undo
          disabled={busy || !last}
          onClick={() => {
            if (last) onUndo(last);
          }}
          sx={{ minHeight: 44, gap: 1 }}
        >
          Undo last <Key>U</Key>
        </Button>
      </Box>
    </Box>
  );
};
