import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import { useState } from "react";
import type { Change, Slot } from "../api/client";
import { v } from "../theme/tokens";
import { Heading, Tick } from "../ui/parts";
import { Drawing } from "./Drawing";
import { from } from "./sources";

interface Props {
  slots: Slot[];
  closed: boolean;
  onSet: (change: Change) => void;
}

/** What the vehicle has, slot by slot: dashed while assumed, solid once somebody looked; a press opens what else fits. */
export const Has = ({ slots, closed, onSet }: Props) => {
  const [open, setOpen] = useState<string>();
  const there = slots.filter((s) => s.kind != null || s.changed);
  const more = slots.filter((s) => s.kind == null && !s.changed);
  const chosen = slots.find((s) => s.slot === open);
  const seen = there.filter((s) => s.source != null).length;
  const changed = there.filter((s) => s.changed).length;
  const pick = (slot: Slot, kind: string | undefined) => {
    onSet({ what: "component", slot: slot.slot, kind });
  };
  return (
    <Box component="section" aria-label="What it has" data-has>
      <Box sx={{ display: "flex", gap: 2, alignItems: "baseline", mb: 0.8 }}>
        <Heading
          note={`${String(seen)} seen, ${String(there.length - seen)} assumed, ${String(changed)} changed here`}
        >
          What it has
        </Heading>
      </Box>
      <Box sx={{ display: "grid", gridTemplateColumns: "repeat(auto-fill, minmax(104px, 1fr))", gap: 0.8 }}>
        {there.map((s) => (
          <Tile
            key={s.slot}
            slot={s}
            open={s.slot === open}
            onPress={() => {
              setOpen(s.slot === open ? undefined : s.slot);
            }}
          />
        ))}
      </Box>
      {chosen && (
        <Box
          sx={{ border: `3px solid ${v("copperFill")}`, background: v("sheet"), p: 1.4, mt: 0.8 }}
          data-slot-open={chosen.slot}
        >
          <Box sx={{ display: "flex", gap: 1.2, alignItems: "baseline", mb: 0.8, flexWrap: "wrap" }}>
            <b style={{ fontSize: 18 }}>{chosen.name}</b>
            <span style={{ color: v("ink2"), fontSize: 15 }}>
              {chosen.fits.length > 1
                ? "which is it? What fits here, with its share on the road"
                : "what fits here"}
            </span>
          </Box>
          <Box sx={{ display: "flex", gap: 0.8, flexWrap: "wrap" }}>
            {chosen.fits.map((f) => (
              <Button
                key={f.kind}
                disabled={closed || (f.kind === chosen.kind && chosen.source != null)}
                aria-pressed={f.kind === chosen.kind}
                data-fits={f.kind}
                onClick={() => {
                  pick(chosen, f.kind);
                }}
                sx={{ fontSize: 15.5, borderWidth: f.kind === chosen.kind ? 3 : undefined }}
              >
                {f.name}
                <span style={{ marginLeft: 10, color: v("ink2") }}>{`${String(f.percent)}\u00a0%`}</span>
                {f.kind === chosen.kind && (
                  <span style={{ marginLeft: 10 }}>{chosen.source == null ? "yes, seen" : "seen"}</span>
                )}
              </Button>
            ))}
            {!chosen.needed && chosen.kind != null && (
              <Button
                disabled={closed}
                data-fits="none"
                onClick={() => {
                  pick(chosen, undefined);
                }}
                sx={{ fontSize: 15.5 }}
              >
                It has none
              </Button>
            )}
          </Box>
        </Box>
      )}
      {more.length > 0 && (
        <Box
          sx={{ display: "flex", gap: 0.6, flexWrap: "wrap", alignItems: "center", mt: 0.8, fontSize: 15 }}
        >
          <span style={{ color: v("ink2") }}>It can have as well:</span>
          {more.map((s) => (
            <Button
              key={s.slot}
              disabled={closed}
              data-slot={s.slot}
              aria-pressed={s.slot === open}
              onClick={() => {
                setOpen(s.slot === open ? undefined : s.slot);
              }}
              sx={{ minHeight: 44, fontSize: 15, py: 0 }}
            >
              {s.name}
            </Button>
          ))}
        </Box>
      )}
    </Box>
  );
};

const Tile = ({ slot: s, open, onPress }: { slot: Slot; open: boolean; onPress: () => void }) => {
  const assumed = s.source == null;
  return (
    <Box
      component="button"
      type="button"
      onClick={onPress}
      aria-expanded={open}
      title={`${assumed ? "assumed" : from(s.source)}${s.changed ? ", changed here" : ""}`}
      data-slot={s.slot}
      data-assumed={assumed}
      sx={{
        position: "relative",
        font: "inherit",
        color: v("ink"),
        background: assumed ? "transparent" : v("sheet"),
        border: assumed ? `1.5px dashed ${v("ink3")}` : `1.5px solid ${v("ink")}`,
        outline: open ? `3px solid ${v("copperFill")}` : undefined,
        p: 0.8,
        minHeight: 132,
        cursor: "pointer",
        display: "grid",
        justifyItems: "center",
        alignContent: "start",
        gap: 0.3,
        textAlign: "center",
      }}
    >
      {!assumed && (
        <Box sx={{ position: "absolute", top: 3, left: 4 }}>
          <Tick size={15} />
        </Box>
      )}
      <Box sx={{ border: s.changed ? `4px double ${v("ink")}` : "4px solid transparent", lineHeight: 0 }}>
        <Drawing shape={s.drawing} assumed={assumed} />
      </Box>
      <Box sx={{ fontSize: 13.5, color: v("ink2"), lineHeight: 1.1 }}>{s.name}</Box>
      <Box sx={{ fontSize: 14, fontWeight: 650, lineHeight: 1.15 }}>{s.words}</Box>
    </Box>
  );
};
