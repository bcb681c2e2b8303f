import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import { useState } from "react";
import type { JobView } from "../api/client";
import { useWrite } from "../repair/useWrite";
import { v } from "../theme/tokens";
import { Line } from "../ui/form";
import { ErrorLine } from "../ui/parts";

/** Strike an entry out, with a reason: it stays in the record, crossed. */
export const StrikeOut = ({ job, entry, what }: { job: JobView; entry: string; what: string }) => {
  const { write, busy, error } = useWrite(job);
  const [reason, setReason] = useState<string>();
  if (job.closed != null) return null;
  if (reason === undefined)
    return (
      <Button
        onClick={() => {
          setReason("");
        }}
        aria-label={`Strike out: ${what}`}
        data-strike={entry}
        sx={{
          minWidth: 84,
          minHeight: 36,
          p: 0,
          border: 0,
          background: "transparent",
          color: v("ink2"),
          fontSize: 15,
          fontWeight: 550,
        }}
      >
        Strike out
      </Button>
    );
  return (
    <Box
      component="form"
      onSubmit={(e: React.FormEvent) => {
        e.preventDefault();
        write([{ kind: "void", entry, reason: reason.trim() }], {
          done: () => {
            setReason(undefined);
          },
        });
      }}
      sx={{
        display: "grid",
        gap: 0.8,
        width: 260,
        flex: "none",
        py: 1,
        textDecoration: "none",
        textAlign: "left",
      }}
    >
      <Line
        label="Why it does not count"
        name="strike-reason"
        value={reason}
        onChange={setReason}
        autoFocus
      />
      <Box sx={{ display: "flex", gap: 0.8 }}>
        <Button type="submit" disabled={busy || reason.trim() === ""} data-strike-out sx={{ minHeight: 44 }}>
          Strike it out
        </Button>
        <Button
          onClick={() => {
            setReason(undefined);
          }}
          sx={{ minHeight: 44 }}
        >
          Back
        </Button>
      </Box>
      {error !== undefined && <ErrorLine>{error}</ErrorLine>}
    </Box>
  );
};
