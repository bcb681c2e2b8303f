import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import useMediaQuery from "@mui/material/useMediaQuery";
import type { RefObject } from "react";
import { v } from "../theme/tokens";
import { TAKES_COMMANDS } from "../ui/commands";
import type { Taking } from "./useTaking";
import { FigureField } from "../ui/FigureField";

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
  const narrow = useMediaQuery("(max-width: 979px)");
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
      <FigureField
        label={`Reading in ${unit ?? ""}`}
        name="reading"
        field={field}
        {...TAKES_COMMANDS}
        value={typed}
        onChange={taking.type}
        unit={parsed?.ok && parsed.figure.unit !== unit ? "" : unit ? SYMBOL[unit] : ""}
        width={narrow ? 150 : 186}
        onKeyDown={(e) => {
          if (e.key === "Escape" && typed !== "") {
            e.preventDefault();
            taking.type("");
          }
        }}
      />
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
