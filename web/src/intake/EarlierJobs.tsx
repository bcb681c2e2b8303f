import Box from "@mui/material/Box";
import { useNavigate } from "react-router";
import type { JobView } from "../api/client";
import { v } from "../theme/tokens";
import { day, number4 } from "../ui/format";
import { Heading, Triangle } from "../ui/parts";

/** What the shop knows of this vehicle: its earlier jobs, newest first; a press opens the record. */
export const EarlierJobs = ({ job }: { job: JobView }) => {
  const go = useNavigate();
  const from = job.from_job;
  const all =
    from == null || job.earlier.some((e) => e.id === from.id) ? job.earlier : [from, ...job.earlier];
  if (all.length === 0) return null;
  return (
    <Box component="section" sx={{ mt: 3 }}>
      <Heading note="the same vehicle, newest first">Here before</Heading>
      <Box sx={{ borderTop: `2px solid ${v("ink")}`, mt: 1 }}>
        {all.map((e) => (
          <Box
            key={e.id}
            component="button"
            type="button"
            data-earlier={e.number}
            onClick={() => void go(`/jobs/${e.id}/record`)}
            sx={{
              font: "inherit",
              fontSize: 16,
              color: v("ink"),
              textAlign: "left",
              width: "100%",
              minHeight: 52,
              py: 0.6,
              px: 0,
              border: 0,
              borderBottom: `1px solid ${v("ruleStrong")}`,
              background: "transparent",
              cursor: "pointer",
              display: "grid",
              gridTemplateColumns: "56px minmax(0, 1fr) 132px",
              gap: 1.2,
              alignItems: "center",
            }}
          >
            <b>{number4(e.number)}</b>
            <span>
              “{e.words}”
              <Box sx={{ fontSize: 14.5, color: v("ink2") }}>
                {e.outcome === "" ? "still open" : e.outcome.replaceAll("-", " ")}
                {e.mended ? `: ${e.mended.toLowerCase()}` : ""}
              </Box>
            </span>
            <Box sx={{ textAlign: "right" }}>
              {e.closed_at == null ? "" : day(e.closed_at)}
              {e.comeback && (
                <Box sx={{ display: "flex", gap: 0.6, justifyContent: "flex-end", fontWeight: 650 }}>
                  <Triangle size={16} /> comes back
                </Box>
              )}
            </Box>
          </Box>
        ))}
      </Box>
    </Box>
  );
};
