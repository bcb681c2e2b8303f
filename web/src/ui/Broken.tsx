import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import { useNavigate } from "react-router";
import type { JobView } from "../api/client";
import { v } from "../theme/tokens";
import { Triangle } from "./parts";

/** A job that cannot be worked on: why, and what can still be done with it. Nothing of it is lost. */
export const Broken = ({ job }: { job: JobView }) => {
  const go = useNavigate();
  if (job.broken == null) return null;
  return (
    <Box
      role="alert"
      data-broken
      sx={{
        m: 2,
        p: 2.5,
        maxWidth: 820,
        border: `3px solid ${v("ink")}`,
        background: v("sheet"),
        display: "grid",
        gap: 1.2,
        fontSize: 17,
      }}
    >
      <Box sx={{ display: "flex", gap: 1.2, alignItems: "center", fontSize: 23, fontWeight: 750 }}>
        <Triangle size={26} /> This job cannot be worked on
      </Box>
      <span>{job.broken}</span>
      <span>
        Its record is whole. Strike out what does not fit there, or export the job and bring it in where it
        fits.
      </span>
      <Box sx={{ display: "flex", gap: 1 }}>
        <Button variant="contained" onClick={() => void go(`/jobs/${job.id}/record`)} data-to-record>
          To the record
        </Button>
        <Button component="a" href={`/api/jobs/${job.id}/export.json`}>
          Job as JSON
        </Button>
      </Box>
    </Box>
  );
};
