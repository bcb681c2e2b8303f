import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import type { VehicleProfile } from "../api/client";
import { v } from "../theme/tokens";
import { pressed } from "../ui/form";
import { Triangle } from "../ui/parts";
import { from } from "../has/sources";

/** What can be so on a vehicle or not: what was done to it, or how its maker built it. */
interface Way {
  id: string;
  name: string;
  /** What reads otherwise then, or what it does to the odds. */
  changes: string;
  present: boolean;
  source?: VehicleProfile["built"][number]["source"];
  /** How to make sure of it. */
  how?: string;
  /** What has to be said about it. */
  caution?: string;
}

/** Ways that belong to one component: a press says that it is so here. */
export const Ways = ({
  title,
  note,
  ways,
  mark,
  closed,
  undone,
  onPress,
}: {
  title: string;
  note?: string;
  ways: Way[];
  /** Attribute by which the tests find one. */
  mark: `data-${string}`;
  closed: boolean;
  /** A second press takes it back. */
  undone: boolean;
  onPress: (way: Way) => void;
}) => {
  if (ways.length === 0) return null;
  return (
    <Box component="section" sx={{ fontSize: 16 }}>
      <Box sx={{ display: "flex", gap: 1.2, alignItems: "baseline", mb: 0.6 }}>
        <b style={{ fontSize: 17 }}>{title}</b>
        {note !== undefined && <span style={{ color: v("ink2"), fontSize: 15 }}>{note}</span>}
      </Box>
      <Box sx={{ display: "grid", gap: 0.7, borderTop: `1px solid ${v("ruleStrong")}`, py: 0.7 }}>
        {ways.map((w) => (
          <Box key={w.id} {...{ [mark]: w.id }}>
            <Box
              sx={{
                display: "grid",
                gridTemplateColumns: "minmax(0, 240px) minmax(0, 1fr)",
                gap: 1.2,
                alignItems: "center",
              }}
            >
              <Button
                disabled={closed || (w.present && !undone)}
                aria-pressed={w.present}
                onClick={() => {
                  onPress(w);
                }}
                sx={{
                  minHeight: 44,
                  fontSize: 15.5,
                  lineHeight: 1.2,
                  justifyContent: "flex-start",
                  textAlign: "left",
                  ...pressed(w.present),
                }}
              >
                {w.name}
              </Button>
              <Box sx={{ fontSize: 15, lineHeight: 1.25 }}>
                {w.present && <b>{from(w.source) || "looked at"}: </b>}
                {w.changes}
              </Box>
            </Box>
            {!w.present && w.how !== undefined && (
              <Box sx={{ fontSize: 14, color: v("ink2"), lineHeight: 1.25, pt: 0.2 }}>
                To make sure: {w.how}.
              </Box>
            )}
            {w.present && w.caution !== undefined && (
              <Box sx={{ display: "flex", gap: 1, py: 0.5, fontWeight: 550 }} data-caution>
                <Triangle size={16} /> {w.caution}
              </Box>
            )}
          </Box>
        ))}
      </Box>
    </Box>
  );
};
