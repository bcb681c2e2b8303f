import Box from "@mui/material/Box";
import { useState, type ReactNode } from "react";
import { v } from "../theme/tokens";
import { ErrorLine, Heading, Tick } from "../ui/parts";

/** Something to be done, and what came of it in words. */
export const useAct = () => {
  const [error, setError] = useState<string>();
  const [done, setDone] = useState<string>();
  const act = async (f: () => Promise<string>) => {
    setError(undefined);
    setDone(undefined);
    try {
      setDone(await f());
    } catch (x) {
      setError(x instanceof Error ? x.message : String(x));
    }
  };
  const said: ReactNode =
    error !== undefined ? (
      <ErrorLine>{error}</ErrorLine>
    ) : done !== undefined ? (
      <Box sx={{ display: "flex", gap: 0.5 }} role="status">
        <Tick /> {done}
      </Box>
    ) : null;
  return { act, said };
};

/** A section of a person's own page. */
export const Section = ({ title, note, children }: { title: string; note: string; children: ReactNode }) => (
  <Box component="section">
    <Heading>{title}</Heading>
    <Box sx={{ borderTop: `2px solid ${v("ink")}`, mt: 1, pt: 1.5, display: "grid", gap: 1.2, fontSize: 16 }}>
      <span>{note}</span>
      {children}
    </Box>
  </Box>
);
