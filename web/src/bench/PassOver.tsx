import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import { useState } from "react";
import { v } from "../theme/tokens";

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
      <Box
        component="input"
        autoFocus
        aria-label="Why is it passed over"
        placeholder="Why is it passed over?"
        value={why}
        onChange={(e: React.ChangeEvent<HTMLInputElement>) => {
          setWhy(e.target.value);
        }}
        sx={{
          flex: 1,
          font: "inherit",
          fontSize: 16,
          height: 44,
          border: `1.5px solid ${v("ink")}`,
          borderRadius: "3px",
          px: 1,
          background: v("sheet"),
          color: v("ink"),
        }}
      />
      <Button type="submit" disabled={why.trim() === ""} sx={{ minHeight: 44 }}>
        Pass over
      </Button>
      <Button type="button" onClick={onKeep} sx={{ minHeight: 44 }}>
        Keep it
      </Button>
    </Box>
  );
};
