import Box from "@mui/material/Box";
import { insulation, v } from "../theme/tokens";

/** Letters that are read on a colour. */
const letters = (code: string): string =>
  ["BK", "BU", "BN", "VT", "GN", "RD"].includes(code) ? "#fff" : "#16181A";

/** Insulation colours to press: squares for the colour, narrow ones for the stripe. */
export const Swatches = ({
  label,
  colours,
  value,
  onPick,
  narrow = false,
  disabled = false,
}: {
  label: string;
  colours: readonly string[];
  value: string | undefined;
  onPick: (code: string) => void;
  narrow?: boolean;
  disabled?: boolean;
}) => (
  <Box role="group" aria-label={label} sx={{ display: "flex", flexWrap: "wrap", gap: 0.7 }}>
    {colours.map((code) => (
      <Box
        key={code}
        component="button"
        type="button"
        disabled={disabled}
        aria-pressed={value === code}
        aria-label={`${label} ${code === "??" ? "not noted" : code}`}
        data-swatch={code}
        onClick={() => {
          onPick(code);
        }}
        sx={{
          font: "inherit",
          fontSize: 14.5,
          fontWeight: 700,
          width: code === "??" ? 92 : 46,
          height: narrow ? 44 : 46,
          p: 0,
          cursor: "pointer",
          borderRadius: "3px",
          border: `1.5px solid ${v("casing")}`,
          color: code === "??" ? v("ink") : letters(code),
          background: code === "??" ? v("sheet") : narrow ? v("sheet") : insulation[code],
          position: "relative",
          ...(narrow
            ? {
                color: v("ink"),
                backgroundImage: `linear-gradient(${insulation[code] ?? ""}, ${insulation[code] ?? ""})`,
                backgroundSize: "100% 12px",
                backgroundPosition: "0 100%",
                backgroundRepeat: "no-repeat",
                pb: "12px",
              }
            : {}),
          ...(value === code ? { outline: `3px solid ${v("copperFill")}`, outlineOffset: "2px" } : {}),
        }}
      >
        {code === "??" ? "not noted" : code}
      </Box>
    ))}
  </Box>
);
