import Autocomplete from "@mui/material/Autocomplete";
import Box from "@mui/material/Box";
import TextField from "@mui/material/TextField";
import type { JobView } from "../api/client";
import { useChoices } from "../api/hooks";
import { v } from "../theme/tokens";

interface Class {
  id: string;
  name: string;
  /** Of what could be wrong, where it is a suspect. */
  percent?: number;
}

/** Classes to choose from: this vehicle's suspects first, likeliest on top, then all others by name. */
const useClasses = (job: JobView): Class[] => {
  const choices = useChoices();
  const suspects = (job.bench?.suspects ?? []).map((s) => ({
    id: s.class,
    name: s.name,
    percent: s.percent,
  }));
  const rest = (choices.data?.classes ?? [])
    .filter((c) => !suspects.some((s) => s.id === c.id))
    .map((c) => ({ id: c.id, name: c.name }));
  return [...suspects, ...rest.sort((a, b) => a.name.localeCompare(b.name))];
};

/** Which suspect was repaired: its suspects stand open, the rest is found by typing. */
export const Mends = ({
  job,
  value,
  onChange,
}: {
  job: JobView;
  value: string;
  onChange: (repairClass: string) => void;
}) => {
  const classes = useClasses(job);
  const suspects = classes.some((c) => c.percent !== undefined);
  return (
    <Autocomplete
      size="small"
      options={classes}
      value={classes.find((c) => c.id === value) ?? null}
      onChange={(_, picked) => {
        onChange(picked?.id ?? "");
      }}
      getOptionLabel={(c) => c.name}
      getOptionKey={(c) => c.id}
      isOptionEqualToValue={(a, b) => a.id === b.id}
      groupBy={
        suspects ? (c) => (c.percent === undefined ? "All repairs" : "Suspects of this vehicle") : undefined
      }
      renderOption={({ key, ...props }, c) => (
        <Box
          component="li"
          key={key}
          {...props}
          data-class={c.id}
          sx={{ fontSize: 16, "&&": { minHeight: 44 } }}
        >
          <span style={{ flex: 1 }}>{c.name}</span>
          {c.percent !== undefined && (
            <span style={{ fontVariantNumeric: "tabular-nums", color: v("ink2") }}>{c.percent} %</span>
          )}
        </Box>
      )}
      renderInput={(params) => <TextField {...params} label="Repairs which suspect" name="mends" />}
      noOptionsText="No repair of this name"
      openText="Show"
      closeText="Close"
      clearText="None"
    />
  );
};
