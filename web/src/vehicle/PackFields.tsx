import Box from "@mui/material/Box";
import { useState } from "react";
import type { Change, VehicleProfile } from "../api/client";
import { v } from "../theme/tokens";
import { Plain, Select, number } from "../ui/form";
import { ErrorLine } from "../ui/parts";
import { FIGURE, figure } from "./Figures";
import { from } from "../has/sources";

/** The pack's cells: one thing, saved when its last field is left. */
export const PackFields = ({
  pack,
  set,
  closed,
}: {
  pack: VehicleProfile["pack"];
  set: (change: Change) => void;
  closed: boolean;
}) => {
  const [groups, setGroups] = useState(String(pack.groups));
  const [chemistry, setChemistry] = useState(pack.chemistry);
  const [parallel, setParallel] = useState(pack.parallel == null ? "" : String(pack.parallel));
  const [hours, setHours] = useState(figure(pack.amp_hours));
  const [wrong, setWrong] = useState<string>();
  const save = (cells = chemistry) => {
    const s = number(groups);
    const ah = number(hours);
    const side = parallel.trim() === "" ? null : number(parallel);
    if (!Number.isInteger(s)) setWrong(`“${groups}” is no number of groups in series.`);
    else if (side !== null && !Number.isInteger(side)) setWrong(`“${parallel}” is no number of cells.`);
    else if (!Number.isFinite(ah)) setWrong(`“${hours}” is no capacity in Ah.`);
    else {
      setWrong(undefined);
      const same =
        s === pack.groups &&
        cells === pack.chemistry &&
        side === (pack.parallel ?? null) &&
        ah === pack.amp_hours;
      if (!same) set({ what: "pack", groups: s, chemistry: cells, parallel: side, amp_hours: ah });
    }
  };
  const field = (label: string, value: string, change: (t: string) => void, name: string) => (
    <label style={{ display: "flex", gap: 6, alignItems: "center" }}>
      {label}
      <Plain
        label={label}
        name={`pack-${name}`}
        value={value}
        onChange={change}
        disabled={closed}
        mode="decimal"
        sx={{ ...FIGURE, width: 76 }}
      />
    </label>
  );
  return (
    <Box data-pack sx={{ fontSize: 16, display: "grid", gap: 1 }}>
      <Box sx={{ display: "flex", gap: 1.2, alignItems: "baseline", flexWrap: "wrap" }}>
        <b style={{ fontSize: 17 }}>Pack</b>
        <span data-pack-volts>
          {figure(pack.full_volts)} V full, never under {figure(pack.floor_volts)} V
        </span>
        <span style={{ color: v("ink2"), fontSize: 15 }}>
          {pack.changed ? from(pack.source) || "not said" : `usual, ${String(pack.usual_groups)} in series`}
        </span>
      </Box>
      <Box
        component="form"
        onSubmit={(e: React.FormEvent) => {
          e.preventDefault();
          save();
        }}
        onBlur={(e: React.FocusEvent<HTMLFormElement>) => {
          if (!e.currentTarget.contains(e.relatedTarget)) save();
        }}
        sx={{ display: "flex", gap: 1.4, alignItems: "center", flexWrap: "wrap" }}
      >
        {field("In series", groups, setGroups, "series")}
        {field("Cells in parallel", parallel, setParallel, "parallel")}
        {field("Ah", hours, setHours, "hours")}
        <Box sx={{ width: 190 }}>
          <Select
            label="Chemistry"
            value={chemistry}
            onChange={(cells) => {
              setChemistry(cells);
              save(cells);
            }}
            options={pack.chemistries.map((c) => [c.id, c.name] as const)}
          />
        </Box>
        {/* Enter saves too */}
        <button type="submit" hidden />
      </Box>
      {wrong !== undefined && <ErrorLine tight>{wrong}</ErrorLine>}
    </Box>
  );
};
