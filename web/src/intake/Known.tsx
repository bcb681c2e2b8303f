import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import { useState } from "react";
import type { KnownVehicle } from "../api/client";
import { useVehicles } from "../api/hooks";
import { v } from "../theme/tokens";
import { day, number4 } from "../ui/format";
import { useSettled } from "../ui/useSettled";
import type { Draft } from "./draft";

/** A vehicle the shop has seen: found by name or frame number, it brings what is known of it. */
export const Known = ({ draft, onPick }: { draft: Draft; onPick: (k: KnownVehicle | undefined) => void }) => {
  const [find, setFind] = useState("");
  const known = useVehicles(useSettled(find, 200));
  const k = draft.from;
  return (
    <Box sx={{ display: "flex", gap: 1, alignItems: "center", flex: "none" }}>
      {k ? (
        <>
          <Box sx={{ fontSize: 16, whiteSpace: "nowrap" }} data-known={k.name}>
            Known: <b>{k.name || `the one of job ${number4(k.number)}`}</b>
            {k.frame_number ? `, frame ${k.frame_number}` : ""}. Last here{" "}
            {k.closed_at ? day(k.closed_at) : "and still open"}
            {k.mended ? `: ${k.mended.toLowerCase()}` : ""}
            {k.changes.length > 0 ? `. ${String(k.changes.length)} changed from the drawing` : ""}
          </Box>
          <Button
            onClick={() => {
              onPick(undefined);
            }}
            sx={{ minHeight: 40, fontSize: 15 }}
          >
            Not this one
          </Button>
        </>
      ) : (
        <>
          <Box
            component="input"
            name="known"
            aria-label="Seen before: name or frame number"
            placeholder="Seen before?"
            value={find}
            onChange={(e: React.ChangeEvent<HTMLInputElement>) => {
              setFind(e.target.value);
            }}
            sx={{
              font: "inherit",
              fontSize: 16,
              width: 176,
              flex: "none",
              height: 48,
              border: `1.5px solid ${v("ink")}`,
              borderRadius: "3px",
              background: v("sheet"),
              color: v("ink"),
              px: 1,
              "&::placeholder": { color: v("ink3"), opacity: 1 },
            }}
          />
          {find.trim().length >= 2 && (known.data ?? []).length === 0 && (
            <span style={{ fontSize: 15 }}>Nothing known by these words.</span>
          )}
          {find.trim().length >= 2 &&
            (known.data ?? []).map((x) => (
              <Button
                key={x.job}
                onClick={() => {
                  setFind("");
                  onPick(x);
                }}
                data-pick-known={x.name}
                sx={{ minHeight: 44, fontSize: 15.5, whiteSpace: "nowrap", flex: "none" }}
              >
                {x.name}
                {x.frame_number ? `, ${x.frame_number}` : ""} · {x.jobs} {x.jobs === 1 ? "job" : "jobs"}
              </Button>
            ))}
        </>
      )}
    </Box>
  );
};
