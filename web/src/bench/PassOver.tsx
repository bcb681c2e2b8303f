import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import { useState } from "react";
import { Plain } from "../ui/form";

interface Props {
  onPass: (why: string) => void;
  onKeep: () => void;
  /** There is no such thing on this vehicle: what it has is shown, to be put right. */
  onMissing: () => void;
}

/** Why a proposal is passed over. */
export const PassOver = ({ onPass, onKeep, onMissing }: Props) => {
  const [why, setWhy] = useState("");
  return (
    <Box
      component="form"
      onSubmit={(e: React.FormEvent) => {
        e.preventDefault();
        onPass(why);
      }}
      sx={{ display: "flex", gap: 1, flexWrap: "wrap" }}
    >
      <Plain
        label="Why is it skipped"
        hint="Why is it skipped?"
        value={why}
        onChange={setWhy}
        autoFocus
        sx={{ flex: 1, minWidth: 180 }}
      />
      <Button type="submit" disabled={why.trim() === ""} sx={{ minHeight: 44 }}>
        Skip it
      </Button>
      <Button type="button" onClick={onMissing} sx={{ minHeight: 44 }} data-missing>
        It has no such thing
      </Button>
      <Button type="button" onClick={onKeep} sx={{ minHeight: 44 }}>
        Cancel
      </Button>
    </Box>
  );
};
