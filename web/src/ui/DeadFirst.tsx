import Box from "@mui/material/Box";
import type { JobView } from "../api/client";
import { v } from "../theme/tokens";
import { Lock, Tick, Triangle } from "./parts";

type First = NonNullable<JobView["gate"]["dead_first"]>;
type Reading = First["readings"][number];

/** The lock after a sign of a power fault, and the readings that open it. */
export const DeadFirst = ({
  first,
  onPick,
}: {
  first: First;
  /** Take this one now. */
  onPick: (reading: Reading) => void;
}) => {
  const right = first.readings.filter((r) => r.standing === "right").length;
  return (
    <Box
      role="alert"
      data-dead-first={`${String(right)} of ${String(first.readings.length)}`}
      sx={{ flex: "none", border: `2px solid ${v("alarm")}`, background: v("sheet"), px: 1.2, py: 0.8 }}
    >
      <Box component="b" sx={{ display: "flex", gap: 0.8, alignItems: "center" }}>
        <Lock size={16} color={v("alarm")} /> Measured dead first
      </Box>
      <Box sx={{ fontSize: 14.5, lineHeight: 1.25 }}>
        {first.why}. Battery and key stay off: {right} of {first.readings.length} readings right.
      </Box>
      <Box sx={{ mt: 0.4, borderTop: `1px solid ${v("rule")}` }}>
        {first.readings.map((r) => (
          <Box
            key={r.id}
            component="button"
            type="button"
            data-dead={r.id}
            data-standing={r.standing}
            title={r.how}
            disabled={r.standing === "right"}
            onClick={() => {
              onPick(r);
            }}
            sx={{
              font: "inherit",
              fontSize: 15,
              lineHeight: 1.2,
              textAlign: "left",
              color: v("ink"),
              width: "100%",
              minHeight: 44,
              p: 0,
              display: "flex",
              gap: 0.8,
              alignItems: "center",
              cursor: r.standing === "right" ? "default" : "pointer",
              background: "transparent",
              border: 0,
              borderBottom: `1px solid ${v("rule")}`,
            }}
          >
            <Box sx={{ width: 18, flex: "none", display: "flex" }}>
              {r.standing === "right" ? (
                <Tick size={16} />
              ) : r.standing === "wrong" ? (
                <Triangle size={16} />
              ) : null}
            </Box>
            <b>{r.name}</b>
            <Box component="span" sx={{ ml: "auto", textAlign: "right" }}>
              {saysOf(r)}
            </Box>
          </Box>
        ))}
      </Box>
    </Box>
  );
};

const saysOf = (r: Reading): string => {
  if (r.standing === "wrong") return `${r.shown.join(", ")}: should be ${r.limit}`;
  return r.of > 1 && r.standing === "open"
    ? `${String(r.shown.length)} of ${String(r.of)}, ${r.limit}`
    : r.limit;
};
