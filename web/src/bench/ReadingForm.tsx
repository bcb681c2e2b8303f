import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import type { RefObject } from "react";
import { v } from "../theme/tokens";
import { TAKES_COMMANDS } from "../ui/commands";
import type { Taking } from "./useTaking";

const SYMBOL = { volts: "V", ohms: "Ω", amps: "A" } as const;

/** The line where the figure goes in, and the three ways in which there is none. */
export const ReadingForm = ({
  taking,
  meter,
  field,
}: {
  taking: Taking;
  /** A meter is connected: while nothing is typed it is read. */
  meter: boolean;
  field: RefObject<HTMLInputElement | null>;
}) => {
  const { typed, unit, parsed, stands, waits } = taking;
  const byMeter = meter && typed === "";
  return (
    <Box
      component="form"
      onSubmit={(e: React.FormEvent) => {
        e.preventDefault();
        taking.reading("figure", false);
      }}
      sx={{
        display: "flex",
        gap: 1,
        alignItems: "stretch",
        pt: 0.2,
        position: "sticky",
        bottom: 0,
        background: v("sheet"),
        "@media (max-width: 979px)": { flexWrap: "wrap" },
      }}
    >
      <Box
        component="label"
        sx={{
          width: 186,
          "@media (max-width: 979px)": { width: 150 },
          height: 56,
          border: `3px solid ${v("ink")}`,
          borderRadius: "3px",
          background: v("paper"),
          display: "flex",
          alignItems: "center",
          px: 1,
          flex: "none",
        }}
      >
        <Box
          component="input"
          ref={field}
          name="reading"
          {...TAKES_COMMANDS}
          aria-label={`Reading in ${unit ?? ""}`}
          autoComplete="off"
          value={typed}
          onChange={(e: React.ChangeEvent<HTMLInputElement>) => {
            taking.type(e.target.value);
          }}
          onKeyDown={(e: React.KeyboardEvent) => {
            if (e.key === "Escape" && typed !== "") {
              e.preventDefault();
              taking.type("");
            }
          }}
          sx={{
            width: "100%",
            minWidth: 0,
            font: "inherit",
            fontSize: typed.length > 6 ? 27 : 40,
            fontWeight: 700,
            border: 0,
            background: "transparent",
            color: v("ink"),
            textAlign: "right",
            "&:focus-visible": { outline: "none !important" },
          }}
        />
        <Box sx={{ fontSize: 22, fontWeight: 650, ml: 0.5 }}>
          {parsed?.ok && parsed.figure.unit !== unit ? "" : unit ? SYMBOL[unit] : ""}
        </Box>
      </Box>
      <Button
        type={byMeter ? "button" : "submit"}
        onClick={
          byMeter
            ? () => {
                void taking.capture();
              }
            : undefined
        }
        variant={stands || byMeter ? "contained" : "outlined"}
        disabled={taking.busy || waits}
        data-capture={byMeter ? true : undefined}
        sx={{
          minWidth: 128,
          fontSize: byMeter ? 17.5 : 20,
          whiteSpace: "nowrap",
          fontWeight: 700,
          flexDirection: "column",
          lineHeight: 1.1,
        }}
        data-take
      >
        {byMeter ? (waits ? "Reading …" : "Read the meter") : stands ? "Save reading" : "Set up, save"}
        <span style={{ fontSize: 14, fontWeight: 500 }}>Enter or pedal</span>
      </Button>
      {!stands && typed !== "" && (
        <Button
          type="button"
          onClick={() => {
            taking.reading("figure", true);
          }}
          disabled={taking.busy}
          sx={{ fontSize: 15, px: 1, lineHeight: 1.1 }}
        >
          Save, not set up
        </Button>
      )}
      {/* with a figure typed there is one: what says that there is none waits */}
      {(stands || typed === "") &&
        (
          [
            ["Not steady", "S", "not-steady"],
            ["Reads nothing", "N", "nothing"],
            ["Can’t reach", "R", "cannot-reach"],
          ] as const
        ).map(([name, key, result]) => (
          <Button
            key={key}
            type="button"
            disabled={taking.busy}
            onClick={() => {
              taking.reading(result, result === "cannot-reach");
            }}
            sx={{
              flex: 1,
              minWidth: 60,
              fontSize: 15,
              px: 0.3,
              flexDirection: "column",
              lineHeight: 1.1,
            }}
          >
            {name}
            <span style={{ fontSize: 14, fontWeight: 500 }}>{key}</span>
          </Button>
        ))}
    </Box>
  );
};
