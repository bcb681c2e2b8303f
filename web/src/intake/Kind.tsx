import Box from "@mui/material/Box";
import type { ReactNode } from "react";
import type { FamilyChoice } from "../api/client";
import { v } from "../theme/tokens";
import { OTHER } from "./draft";

const VOLTS = [6, 12, 24, 36, 48, 52, 60, 72];
const DRIVES: [string, string][] = [
  ["geared-hub", "geared hub"],
  ["direct-hub", "direct hub"],
  ["mid", "mid motor"],
  ["chain", "chain, belt"],
  ["brushed", "brushed toy"],
  [OTHER, "other kind"],
];

/** One of the two, beside the words; on a tablet upright under them. */
const COLUMN = {
  p: 2,
  py: 0.8,
  borderLeft: `1px solid ${v("ruleStrong")}`,
  "@media (max-width: 1100px)": { borderLeft: 0 },
} as const;

/** Voltage and drive: a press each, and what follows from them. */
export const Kind = ({
  volts,
  drive,
  family,
  kinds,
  onPick,
}: {
  volts: number;
  drive: string;
  /** The ready build that they choose, if there is one. */
  family: FamilyChoice | undefined;
  /** Where several are of these volts and this drive: which it is like. */
  kinds: ReactNode | undefined;
  onPick: (kind: { volts: number } | { drive: string }) => void;
}) => (
  <>
    <Box sx={COLUMN}>
      <Box sx={{ fontSize: 15, color: v("ink2"), mb: 0.5 }}>Battery, label or charger</Box>
      <Box sx={{ display: "flex", gap: 0.6 }}>
        {VOLTS.map((x) => (
          <Pick
            key={x}
            on={volts === x}
            onPick={() => {
              onPick({ volts: x });
            }}
            label={`${String(x)} V`}
          >
            <b style={{ fontSize: 22 }}>{x} </b>
            <span style={{ fontSize: 15 }}>V</span>
          </Pick>
        ))}
      </Box>
      <Box
        sx={{
          fontSize: 15,
          mt: 0.5,
          width: 370,
          minHeight: 32,
          display: "flex",
          gap: 1,
          alignItems: "center",
          whiteSpace: "nowrap",
        }}
      >
        {kinds}
        {family ? (
          <span>
            <b>{family.full_volts.toFixed(1)} V</b> full
            {kinds === undefined &&
              `, ${String(family.groups)} ${family.groups === 1 ? "group" : "groups"} assumed`}
          </span>
        ) : (
          volts > 0 && drive !== "" && "No wiring model yet: points by hand, no suspects"
        )}
      </Box>
    </Box>
    <Box sx={COLUMN}>
      <Box sx={{ fontSize: 15, color: v("ink2"), mb: 0.5 }}>Drive, as it looks</Box>
      <Box sx={{ display: "flex", gap: 0.8 }}>
        {DRIVES.map(([id, name]) => (
          <Pick
            key={id}
            on={drive === id}
            onPick={() => {
              onPick({ drive: id });
            }}
            label={name}
            tall
          >
            <DriveIcon id={id} />
            <span style={{ fontSize: 14, lineHeight: 1.1, fontWeight: 600 }}>{name}</span>
          </Pick>
        ))}
      </Box>
    </Box>
  </>
);

/** A press of either. */
const Pick = ({
  on,
  onPick,
  label,
  tall = false,
  children,
}: {
  on: boolean;
  onPick: () => void;
  label: string;
  tall?: boolean;
  children: ReactNode;
}) => (
  <Box
    component="button"
    type="button"
    aria-pressed={on}
    aria-label={label}
    onClick={onPick}
    sx={{
      font: "inherit",
      width: tall ? 70 : 42,
      height: tall ? 92 : 58,
      display: "flex",
      flexDirection: "column",
      alignItems: "center",
      justifyContent: "center",
      gap: 0.4,
      border: `1.5px solid ${v("ink")}`,
      borderRadius: "3px",
      background: on ? v("ink") : v("sheet"),
      color: on ? v("sheet") : v("ink"),
      cursor: "pointer",
      p: 0.5,
    }}
  >
    {children}
  </Box>
);

const DriveIcon = ({ id }: { id: string }) => {
  const line = { fill: "none", stroke: "currentColor", strokeWidth: 2.4 } as const;
  return (
    <svg width="36" height="36" viewBox="0 0 46 46" aria-hidden="true" {...line}>
      {id === "geared-hub" && (
        <>
          <circle cx="23" cy="23" r="19" />
          <circle cx="23" cy="23" r="5" />
          {[0, 1, 2].map((k) => (
            <circle
              key={k}
              cx={23 + 11.5 * Math.sin((k * 2 * Math.PI) / 3)}
              cy={23 - 11.5 * Math.cos((k * 2 * Math.PI) / 3)}
              r="5.4"
            />
          ))}
        </>
      )}
      {id === "direct-hub" && (
        <>
          <circle cx="23" cy="23" r="19" />
          <circle cx="23" cy="23" r="14" />
          <circle cx="23" cy="23" r="3" />
        </>
      )}
      {id === "mid" && (
        <>
          <circle cx="23" cy="23" r="12" />
          <path d="M23 23L8 12M23 23l15 11M4 12h8M34 34h8" />
        </>
      )}
      {id === "chain" && (
        <>
          <circle cx="11" cy="26" r="8" />
          <circle cx="35" cy="20" r="5" />
          <path d="M9 18l25-3M13 34l23-9" />
        </>
      )}
      {id === OTHER && <path d="M6 12h34v22H6zM16 12v22M30 12v22" strokeDasharray="5 4" />}
      {id === "brushed" && (
        <>
          <path d="M4 14h22v20H4zM11 14V8M19 14V8M26 24h5" />
          <circle cx="36" cy="24" r="5" />
        </>
      )}
    </svg>
  );
};
