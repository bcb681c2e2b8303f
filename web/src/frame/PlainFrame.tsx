import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import type { ReactNode } from "react";
import { useNavigate } from "react-router";
import { OutboxCell } from "../outbox/OutboxCell";
import { PersonButton } from "../people/PersonButton";
import { v } from "../theme/tokens";
import { Mark } from "../ui/Mark";

/** A page that belongs to no job. */
export const PlainFrame = ({ title, children }: { title: string; children: ReactNode }) => {
  const go = useNavigate();
  return (
    <Box sx={{ minHeight: "100vh" }}>
      <Box
        component="header"
        sx={{
          minHeight: 52,
          display: "flex",
          gap: 1.5,
          alignItems: "center",
          px: 2,
          borderBottom: `1.5px solid ${v("ink")}`,
        }}
      >
        <Mark />
        <Button onClick={() => void go("/")} sx={{ minHeight: 44, height: 44 }}>
          Rack
        </Button>
        <Box component="h1" sx={{ m: 0, fontSize: 21, fontWeight: 750, flex: 1 }}>
          {title}
        </Box>
        <OutboxCell />
        <PersonButton />
      </Box>
      <Box component="main" sx={{ p: 2.5 }}>
        {children}
      </Box>
    </Box>
  );
};
