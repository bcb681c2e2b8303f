import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import { useState } from "react";
import type { JobView } from "../api/client";
import { Line, OneOf } from "../ui/form";
import { ErrorLine, Tick } from "../ui/parts";
import { useWrite } from "./useWrite";

/** Locked or ex-fleet electronics: the proof of ownership comes before anything is bypassed. */
export const OwnershipForm = ({ job }: { job: JobView }) => {
  const { write, busy, error } = useWrite(job);
  const [locked, setLocked] = useState<"yes" | "no" | undefined>(
    job.ownership == null ? undefined : job.ownership.locked ? "yes" : "no",
  );
  const [proof, setProof] = useState("");
  return (
    <Box sx={{ display: "grid", gap: 1.4, maxWidth: 720 }}>
      <Box sx={{ fontSize: 16 }}>
        Code asked, labels of a fleet, a lock that belongs to somebody else: note it. Controller, display and
        settings stay as they are until a proof was seen.
      </Box>
      <OneOf
        label="Locked or from a fleet"
        value={locked}
        options={[
          ["yes", "Locked or from a fleet"],
          ["no", "Neither"],
        ]}
        onPick={(x) => {
          setLocked(x);
          write([{ kind: "ownership", locked: x === "yes", proof: job.ownership?.proof ?? null }]);
        }}
        disabled={busy}
      />
      {job.ownership?.proof != null && (
        <Box sx={{ display: "flex", gap: 1, fontSize: 17 }} data-ownership="proved">
          <Tick /> Seen: <b>{job.ownership.proof}</b>
        </Box>
      )}
      {locked === "yes" && (
        <Box sx={{ display: "flex", gap: 1, alignItems: "flex-start" }}>
          <Line
            label="What was seen: receipt, registration, letter of the fleet"
            name="ownership"
            value={proof}
            onChange={setProof}
          />
          <Button
            disabled={busy || proof.trim() === ""}
            onClick={() => {
              write([{ kind: "ownership", locked: true, proof: proof.trim() }], {
                sent: [[proof, setProof]],
              });
            }}
            sx={{ flex: "none" }}
            data-ownership-send
          >
            Record it
          </Button>
        </Box>
      )}
      {error !== undefined && <ErrorLine>{error}</ErrorLine>}
    </Box>
  );
};
