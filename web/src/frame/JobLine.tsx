import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import { useNavigate } from "react-router";
import type { JobView } from "../api/client";
import { v } from "../theme/tokens";
import { Mark } from "../ui/Mark";
import { Lock, Tick } from "../ui/parts";

export type Station = "intake" | "gate" | "bench" | "repair" | "record";

const STATIONS: { id: Station; name: string; to: string }[] = [
  { id: "intake", name: "Intake", to: "intake" },
  { id: "gate", name: "Gate", to: "gate" },
  { id: "bench", name: "Bench", to: "bench" },
  { id: "repair", name: "Repair, hand-back", to: "repair" },
  { id: "record", name: "Record", to: "record" },
];

/** The job line: stations are contacts in a conductor; closed when done, open ahead, locked by the gate. */
export const JobLine = ({ job, here }: { job?: JobView; here: Station }) => {
  const go = useNavigate();
  const at = STATIONS.findIndex((s) => s.id === here);
  const done = (id: Station): boolean => {
    if (!job) return false;
    if (id === "intake") return true;
    if (id === "gate") return job.gate.standing === "open";
    if (id === "bench") return job.parts.length > 0 || job.closed != null;
    if (id === "repair") return job.closed != null;
    return false;
  };
  const stopped =
    job !== undefined && (job.gate.standing === "stopped" || job.gate.standing === "quarantined");
  const locked = (id: Station): boolean =>
    stopped && job.gate.standing === "stopped" && (id === "bench" || id === "repair");
  return (
    <Box
      component="header"
      sx={{
        height: 52,
        display: "flex",
        alignItems: "stretch",
        borderBottom: `1.5px solid ${v("ink")}`,
        px: 2,
        gap: 1.5,
        flex: "none",
      }}
    >
      <Box sx={{ display: "flex", alignItems: "center", gap: 1, fontSize: 20, fontWeight: 750 }}>
        <Mark />
        <Box component="span" sx={{ "@media (max-width: 1100px)": { display: "none" } }}>
          Spannung
        </Box>
      </Box>
      <Button onClick={() => void go("/")} sx={{ alignSelf: "center", minHeight: 44, height: 44 }}>
        Rack
      </Button>
      <Box
        component="nav"
        aria-label="Stages of this job"
        sx={{
          flex: 1,
          position: "relative",
          display: "flex",
          justifyContent: "space-between",
          alignItems: "stretch",
          ml: 1,
        }}
      >
        <Box sx={{ position: "absolute", left: 0, right: 0, bottom: 11, height: 3, background: v("ink3") }} />
        <Box
          sx={{
            position: "absolute",
            left: 0,
            width: `${String(((at + 0.5) / STATIONS.length) * 100)}%`,
            bottom: 11,
            height: 3,
            background: v("copperFill"),
          }}
        />
        {STATIONS.map((s) => {
          const present = s.id === here;
          const is = done(s.id);
          const shut = locked(s.id);
          return (
            <Box
              key={s.id}
              component="button"
              type="button"
              disabled={!job && !present}
              aria-current={present ? "step" : undefined}
              title={shut ? "Closed by the gate: isolation and quarantine first" : undefined}
              onClick={() => {
                if (job && !shut) void go(`/jobs/${job.id}/${s.to}`);
                else if (job && shut) void go(`/jobs/${job.id}/gate`);
              }}
              sx={{
                position: "relative",
                font: "inherit",
                border: 0,
                minWidth: 58,
                px: 1.6,
                flex: 1,
                cursor: "pointer",
                background: present ? v("copperFill") : "transparent",
                color: present ? v("onCopper") : v("ink"),
                fontSize: 16,
                fontWeight: present ? 700 : 550,
                textDecoration: shut ? "line-through" : "none",
                display: "flex",
                flexDirection: "column",
                alignItems: "center",
                justifyContent: present ? "center" : "flex-start",
                pt: present ? 0 : 0.7,
                "&:disabled": { color: v("ink3"), cursor: "default" },
              }}
            >
              <Box component="span" sx={{ display: "flex", gap: 0.6, alignItems: "center" }}>
                {is && !present && <Tick size={15} />}
                {s.name}
              </Box>
              {!present && <Contact closed={is} locked={shut} />}
            </Box>
          );
        })}
      </Box>
    </Box>
  );
};

const Contact = ({ closed, locked }: { closed: boolean; locked: boolean }) => (
  <svg
    width="40"
    height="22"
    viewBox="0 0 40 22"
    aria-hidden="true"
    style={{ position: "absolute", bottom: 1 }}
  >
    <path d="M8 11h24" stroke={v("paper")} strokeWidth="6" />
    {locked ? (
      <g>
        <rect x="10" y="1" width="20" height="20" fill={v("alarm")} />
        <svg x="13" y="4" width="14" height="14">
          <Lock size={14} color="#fff" />
        </svg>
      </g>
    ) : (
      <g>
        <path
          d={closed ? "M10 11h20" : "M10 11l18-8"}
          stroke={closed ? v("verdigrisFill") : v("ink3")}
          strokeWidth={closed ? 4.4 : 2.6}
        />
        <circle
          cx="9"
          cy="11"
          r="3.4"
          fill={v("paper")}
          stroke={closed ? v("verdigrisFill") : v("ink3")}
          strokeWidth="2"
        />
        <circle
          cx="31"
          cy="11"
          r="3.4"
          fill={v("paper")}
          stroke={closed ? v("verdigrisFill") : v("ink3")}
          strokeWidth="2"
        />
      </g>
    )}
  </svg>
);
