import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import { Fragment, useState, type ReactNode } from "react";
import type { Change, Standstill, Slot } from "../api/client";
import { v } from "../theme/tokens";
import { Heading, Tick, Triangle } from "../ui/parts";
import { Drawing } from "./Drawing";
import { from } from "./sources";

interface Props {
  slots: Slot[];
  /** Why it would not drive as it is put together. */
  standstill: Standstill | null | undefined;
  closed: boolean;
  onSet: (change: Change) => void;
  /** Somebody looks at what fits in a slot. */
  onLook: (slot: string) => void;
  /** One low row of drawings, beneath a map. */
  row?: boolean;
  /** In a card: smaller, under its own heading. */
  narrow?: boolean;
  /** What is said of the open one besides. */
  more?: (slot: Slot) => ReactNode;
}

/** What nobody looked at: thin ink that leans left, away from the copper of suspicion. */
const LEANING_LEFT = `repeating-linear-gradient(135deg, transparent 0 5.85px, ${v("ink3")} 5.85px 7px)`;

/** What the vehicle has, slot by slot: dashed while assumed, solid once somebody looked; a press opens what else fits. */
export const Has = ({
  slots,
  standstill,
  closed,
  onSet,
  onLook,
  row = false,
  narrow = false,
  more,
}: Props) => {
  const [open, setOpen] = useState<string>();
  const there = slots.filter((s) => s.kind != null || s.changed);
  const empty = slots.filter((s) => s.kind == null && !s.changed);
  const chosen = slots.find((s) => s.slot === open);
  const seen = there.filter((s) => s.source != null).length;
  const changed = there.filter((s) => s.changed).length;
  const gap = row ? 4 : 6;
  const panel = chosen && (
    <Panel
      slot={chosen}
      closed={closed}
      onPick={(kind) => {
        onSet({ what: "component", slot: chosen.slot, kind });
      }}
      more={more?.(chosen)}
      // it touches the tile that it belongs to
      sx={{ gridColumn: "1 / -1", mt: `-${String(gap + 2)}px` }}
    />
  );
  const press = (slot: string) => {
    setOpen(slot === open ? undefined : slot);
    if (slot !== open && slot !== MORE && !closed) onLook(slot);
  };
  const known = `${String(seen)} seen, ${String(there.length - seen)} assumed, ${String(changed)} changed here`;
  return (
    <Box component="section" aria-label="What it has" data-has={seen}>
      {(!row || narrow) && (
        <Box sx={{ mb: 0.8 }}>
          <Heading note={known}>What it has</Heading>
        </Box>
      )}
      <Box
        sx={{
          display: "grid",
          gridTemplateColumns: `repeat(auto-fill, minmax(${narrow ? "60px" : row ? "74px" : "104px"}, 1fr))`,
          gap: `${String(gap)}px`,
          // the open panel stands beneath its tile's row, and the tiles behind it fill that row up
          gridAutoFlow: "dense",
        }}
      >
        {row && !narrow && (
          <Box sx={{ gridColumn: "span 2", alignSelf: "center", lineHeight: 1.15 }}>
            <b style={{ fontSize: 16 }}>What it has</b>
            <Box sx={{ fontSize: 13.5, color: v("ink2") }}>{known}</Box>
          </Box>
        )}
        {there.map((s) => (
          <Fragment key={s.slot}>
            <Tile
              slot={s}
              row={row}
              open={s.slot === open}
              onPress={() => {
                press(s.slot);
              }}
            />
            {s.slot === open && panel}
          </Fragment>
        ))}
        {row && empty.length > 0 && (
          <Box
            component="button"
            type="button"
            onClick={() => {
              press(MORE);
            }}
            aria-expanded={open === MORE}
            data-slot={MORE}
            sx={{ ...tile(row, true, open === MORE), alignContent: "center", fontSize: 13.5 }}
          >
            and more?
          </Box>
        )}
      </Box>
      {chosen && !there.includes(chosen) && panel}
      {standstill != null && <StandsStill standstill={standstill} closed={closed} row={row} onSet={onSet} />}
      {empty.length > 0 && (!row || open === MORE) && (
        <Box
          sx={{ display: "flex", gap: 0.6, flexWrap: "wrap", alignItems: "center", mt: 0.8, fontSize: 15 }}
        >
          <span style={{ color: v("ink2") }}>It can have as well:</span>
          {empty.map((s) => (
            <Button
              key={s.slot}
              disabled={closed}
              data-slot={s.slot}
              aria-pressed={s.slot === open}
              onClick={() => {
                press(s.slot);
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

/** Why it would not drive as it is put together, and what that is only assumed would make it. */
const StandsStill = ({
  standstill,
  closed,
  row,
  onSet,
}: {
  standstill: Standstill;
  closed: boolean;
  row: boolean;
  onSet: Props["onSet"];
}) => (
  <Box
    sx={{ display: "flex", gap: 1, mt: 0.8, fontSize: row ? 14.5 : 16, lineHeight: 1.3, flexWrap: "wrap" }}
    data-standstill
  >
    <Triangle size={16} />
    <Box sx={{ flex: "1 1 380px" }}>
      <b>Put together like this it would not drive: </b>
      {`${standstill.why}. If it did, something here is another one.`}
    </Box>
    {standstill.cures.length > 0 && (
      <Box sx={{ display: "flex", gap: 0.6, flexWrap: "wrap", alignItems: "center" }}>
        It would with
        {standstill.cures.map((c) => (
          <Button
            key={`${c.slot} ${c.kind ?? ""}`}
            disabled={closed}
            data-cure={c.slot}
            onClick={() => {
              onSet({ what: "component", slot: c.slot, kind: c.kind });
            }}
            sx={{ minHeight: 44, fontSize: 14.5, py: 0, textAlign: "left" }}
          >
            {c.name}
          </Button>
        ))}
      </Box>
    )}
  </Box>
);

/** Stands for the slots that are empty. */
const MORE = "more";

/** The kinds that fit, as contacts side by side: that which is there is closed, hatched as long as nobody looked. */
const Panel = ({
  slot,
  closed,
  onPick,
  more,
  sx,
}: {
  slot: Slot;
  closed: boolean;
  onPick: (kind: string | undefined) => void;
  more: ReactNode;
  sx: object;
}) => (
  <Box
    sx={{ border: `2px solid ${v("ink")}`, background: v("sheet"), p: 1.2, minWidth: 0, ...sx }}
    data-slot-open={slot.slot}
  >
    <Box sx={{ display: "flex", gap: 1.2, alignItems: "baseline", mb: 0.8, flexWrap: "wrap" }}>
      <b style={{ fontSize: 18 }}>{slot.name}</b>
      <span style={{ color: v("ink2"), fontSize: 15 }}>
        {slot.fits.length > 1 ? "which is it? What fits here, with its share on the road" : "what fits here"}
      </span>
    </Box>
    <Box sx={{ display: "flex", gap: 0.8, flexWrap: "wrap" }}>
      {slot.fits.map((f) => {
        const here = f.kind === slot.kind;
        const seen = here && slot.source != null;
        return (
          <Button
            key={f.kind}
            disabled={closed || seen}
            aria-pressed={here}
            data-fits={f.kind}
            title={f.look}
            onClick={() => {
              onPick(f.kind);
            }}
            sx={{ fontSize: 15.5, gap: 1, justifyContent: "start", textAlign: "left", maxWidth: 376 }}
          >
            <Contact closed={here} assumed={here && !seen} />
            <span>
              {f.name}
              <span style={{ marginLeft: 10, color: v("ink2") }}>{`${String(f.percent)}\u00a0%`}</span>
              {here && <b style={{ marginLeft: 10 }}>{seen ? "seen" : "yes, seen"}</b>}
              {f.look !== "" && (
                <Box
                  component="span"
                  sx={{ display: "block", fontSize: 13.5, fontWeight: 400, color: v("ink2") }}
                >
                  {f.look}
                </Box>
              )}
            </span>
          </Button>
        );
      })}
      {!slot.needed && slot.kind != null && (
        <Button
          disabled={closed}
          data-fits="none"
          onClick={() => {
            onPick(undefined);
          }}
          sx={{ fontSize: 15.5, gap: 1 }}
        >
          <Contact closed={false} assumed={false} />
          It has none
        </Button>
      )}
    </Box>
    {more}
  </Box>
);

/** A contact in the row of those that fit. */
const Contact = ({ closed, assumed }: { closed: boolean; assumed: boolean }) => (
  <svg width="14" height="40" viewBox="0 0 14 40" aria-hidden="true" style={{ flex: "none" }}>
    <g stroke={v("ink")} strokeWidth="2" fill={v("sheet")}>
      <path d="M7 0V7M7 33V40" />
      {closed ? (
        <rect x="3" y="9" width="8" height="22" fill={assumed ? v("sheet") : v("ink")} />
      ) : (
        <path d="M7 31L13 11" fill="none" />
      )}
      {assumed && <path d="M3 15L11 23M3 21L11 29M4 10L11 17" strokeWidth="1.15" />}
      <circle cx="7" cy="8" r="2.6" />
      <circle cx="7" cy="32" r="2.6" />
    </g>
  </svg>
);

const tile = (row: boolean, assumed: boolean, open: boolean) =>
  ({
    position: "relative",
    font: "inherit",
    color: v("ink"),
    background: open ? v("sheet") : assumed ? "transparent" : v("sheet"),
    border: assumed && !open ? `1.5px dashed ${v("ink3")}` : `${open ? "2" : "1.5"}px solid ${v("ink")}`,
    // an open one is a tab of its panel
    borderBottom: open ? `2px solid ${v("sheet")}` : undefined,
    zIndex: open ? 1 : undefined,
    p: row ? 0.3 : 0.8,
    minHeight: row ? 58 : 132,
    cursor: "pointer",
    display: "grid",
    justifyItems: "center",
    alignContent: "start",
    gap: 0.3,
    textAlign: "center",
  }) as const;

const Tile = ({
  slot: s,
  row,
  open,
  onPress,
}: {
  slot: Slot;
  row: boolean;
  open: boolean;
  onPress: () => void;
}) => {
  const assumed = s.source == null;
  const how = `${assumed ? "assumed" : from(s.source)}${s.changed ? ", changed here" : ""}`;
  return (
    <Box
      component="button"
      type="button"
      onClick={onPress}
      aria-expanded={open}
      title={row ? `${s.words}: ${how}` : how}
      data-slot={s.slot}
      data-assumed={assumed}
      sx={tile(row, assumed, open)}
    >
      {!assumed && (
        <Box sx={{ position: "absolute", top: 2, left: 3 }}>
          <Tick size={row ? 13 : 15} />
        </Box>
      )}
      <Box
        sx={{
          border: s.changed ? `4px double ${v("ink")}` : "4px solid transparent",
          lineHeight: 0,
          backgroundImage: assumed ? LEANING_LEFT : undefined,
          backgroundClip: "content-box",
        }}
      >
        <Drawing shape={s.drawing} assumed={assumed} width={row ? 46 : 84} />
      </Box>
      <Box sx={{ fontSize: row ? 12.5 : 13.5, color: row ? v("ink") : v("ink2"), lineHeight: 1.1 }}>
        {s.name}
      </Box>
      {!row && <Box sx={{ fontSize: 14, fontWeight: 650, lineHeight: 1.15 }}>{s.words}</Box>}
    </Box>
  );
};
