import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import { useNavigate } from "react-router";
import type { JobView } from "../api/client";
import { useLive } from "../api/hooks";
import { Broken } from "../ui/Broken";
import { PersonButton } from "../people/PersonButton";
import { v } from "../theme/tokens";
import { Mark } from "../ui/Mark";
import { Lock, Tick } from "../ui/parts";
import { isProved } from "../proof/standing";

export type Station = "intake" | "gate" | "bench" | "repair" | "proof" | "hand-back" | "record";

const STATIONS: { id: Station; name: string }[] = [
  { id: "intake", name: "Intake" },
  { id: "gate", name: "Gate" },
  { id: "bench", name: "Bench" },
  { id: "repair", name: "Repair" },
  { id: "proof", name: "Proof" },
  { id: "hand-back", name: "Hand-back" },
  { id: "record", name: "Record" },
];

/** Is a stage of the job behind it? */
const isDone = (job: JobView, id: Station): boolean => {
  const failed = job.proof.some((r) => r.standing === "failed");
  switch (id) {
    case "intake":
      return true;
    case "gate":
      return job.gate.standing === "open" || job.closed != null;
    case "bench":
      return (job.parts.length > 0 && !failed) || job.closed != null;
    case "repair":
      return job.closed != null || (job.parts.length > 0 && job.items.every((i) => i.standing !== "open"));
    case "proof":
      return isProved(job);
    case "hand-back":
      return job.closed != null;
    case "record":
      return false;
  }
};

/** The station where a job is worked on now: whoever leaves its vehicle goes back there. */
export const stationOf = (job: JobView): { id: Station; name: string } => {
  const passed = ["open", "grounded", "dead-first"].includes(job.gate.standing) || job.closed != null;
  return STATIONS.find((s) => s.id === (passed ? "bench" : "gate")) ?? { id: "bench", name: "Bench" };
};

/** The job line: stations are contacts in a conductor; closed when done, open ahead, locked by the gate. */
export const JobLine = ({ job, here }: { job?: JobView; here: Station }) => {
  const go = useNavigate();
  useLive(job);
  const at = STATIONS.findIndex((s) => s.id === here);
  const done = (id: Station): boolean => job !== undefined && isDone(job, id);
  const stopped =
    job !== undefined && (job.gate.standing === "stopped" || job.gate.standing === "quarantined");
  const locked = (id: Station): boolean =>
    stopped &&
    job.gate.standing === "stopped" &&
    (id === "bench" || id === "repair" || id === "proof" || id === "hand-back");
  const line = (
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
        <Box component="span" sx={{ "@media (max-width: 1200px)": { display: "none" } }}>
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
                if (job && !shut) void go(`/jobs/${job.id}/${s.id}`);
                else if (job && shut) void go(`/jobs/${job.id}/gate`);
              }}
              sx={{
                position: "relative",
                font: "inherit",
                border: 0,
                minWidth: 58,
                px: 0.5,
                whiteSpace: "nowrap",
                flex: 1,
                cursor: "pointer",
                background: present ? v("copperFill") : "transparent",
                color: present ? v("onCopper") : v("ink"),
                fontSize: 16,
                "@media (max-width: 900px)": { fontSize: 14.5 },
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
      <PersonButton />
    </Box>
  );
  return (
    <>
      {line}
      {/* the record says it above its own lines */}
      {job != null && here !== "record" && <Broken job={job} />}
    </>
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
