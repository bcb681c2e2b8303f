import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import { useState } from "react";
import { Plain } from "../ui/form";

/** Why a proposal is passed over. */
export const PassOver = ({ onPass, onKeep }: { onPass: (why: string) => void; onKeep: () => void }) => {
  const [why, setWhy] = useState("");
  return (
    <Box
      component="form"
      onSubmit={(e: React.FormEvent) => {
        e.preventDefault();
        onPass(why);
      }}
      sx={{ display: "flex", gap: 1 }}
    >
      <Plain
        label="Why is it skipped"
        hint="Why is it skipped?"
        value={why}
        onChange={setWhy}
        autoFocus
        sx={{ flex: 1 }}
      />
      <Button type="submit" disabled={why.trim() === ""} sx={{ minHeight: 44 }}>
        Skip it
      </Button>
      <Button type="button" onClick={onKeep} sx={{ minHeight: 44 }}>
        Cancel
      </Button>
    </Box>
  );
};
