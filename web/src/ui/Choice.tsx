import Box from "@mui/material/Box";
import { v } from "../theme/tokens";
import { whole } from "./format";
import { Key } from "./parts";

/** An answer: equal outlined buttons, its number key, its consequence beneath before the press. */
export const Choice = ({
  name,
  effect,
  hotkey,
  onPick,
  disabled = false,
}: {
  name: string;
  effect?: string;
  hotkey?: string;
  onPick: () => void;
  disabled?: boolean;
}) => (
  <Box
    component="button"
    type="button"
    disabled={disabled}
    data-answer={hotkey}
    onClick={onPick}
    sx={{
      font: "inherit",
      color: v("ink"),
      textAlign: "left",
      background: v("sheet"),
      border: `1.5px solid ${v("ink")}`,
      borderRadius: "3px",
      p: "6px 10px 7px",
      minHeight: 56,
      cursor: "pointer",
      display: "grid",
      gridTemplateColumns: "1fr auto",
      columnGap: 1,
      alignContent: "center",
      "&:hover": { background: v("well") },
      "&:disabled": { color: v("ink3"), borderColor: v("ruleStrong"), cursor: "default" },
    }}
  >
    <Box component="span" sx={{ fontSize: 18, fontWeight: 700, lineHeight: 1.2, alignSelf: "center" }}>
      {name}
    </Box>
    {hotkey !== undefined && <Key>{hotkey}</Key>}
    {effect && (
      // across the whole width: it is the longer of the two
      <Box
        component="span"
        sx={{ gridColumn: "1 / -1", fontSize: 14.5, color: v("ink2"), lineHeight: 1.25, mt: 0.2 }}
      >
        {whole(effect)}
      </Box>
    )}
  </Box>
);
