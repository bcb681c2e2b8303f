import Box from "@mui/material/Box";
import type { KeyboardEvent, Ref } from "react";
import { v } from "../theme/tokens";

/** The field of a measured figure: read from arm's length, its unit behind it. */
export const FigureField = ({
  label,
  name,
  value,
  onChange,
  unit,
  width,
  autoFocus = false,
  onKeyDown,
  field,
  ...data
}: {
  /** What it is, for whoever does not see the card around it. */
  label: string;
  name: string;
  value: string;
  onChange: (text: string) => void;
  unit: string;
  /** px; else as wide as there is room. */
  width?: number;
  autoFocus?: boolean;
  onKeyDown?: (e: KeyboardEvent) => void;
  field?: Ref<HTMLInputElement>;
} & Record<`data-${string}`, string | boolean | undefined>) => (
  <Box
    component="label"
    sx={{
      ...(width === undefined ? { flex: 1, minWidth: 0 } : { width, flex: "none" }),
      height: 58,
      border: `3px solid ${v("ink")}`,
      borderRadius: "3px",
      background: v("paper"),
      display: "flex",
      alignItems: "center",
      px: 1,
    }}
  >
    <Box
      component="input"
      ref={field}
      name={name}
      {...data}
      autoFocus={autoFocus}
      aria-label={label}
      autoComplete="off"
      value={value}
      onChange={(e: React.ChangeEvent<HTMLInputElement>) => {
        onChange(e.target.value);
      }}
      onKeyDown={onKeyDown}
      sx={{
        width: "100%",
        minWidth: 0,
        font: "inherit",
        fontSize: value.length > 6 ? 27 : 39,
        fontWeight: 700,
        border: 0,
        background: "transparent",
        color: v("ink"),
        textAlign: "right",
        "&:focus-visible": { outline: "none !important" },
      }}
    />
    <Box sx={{ fontSize: 22, fontWeight: 650, ml: 0.5, whiteSpace: "nowrap" }}>{unit}</Box>
  </Box>
);
