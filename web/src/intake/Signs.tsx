import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import type { Preview } from "../api/client";
import { v } from "../theme/tokens";
import { lineOf } from "./Words";

type Heard = Preview["heard"][number];

/** What was heard or pressed, each gone with one press; the commonest complaints where nothing was. */
export const Signs = ({
  heard,
  commonest,
  onAnswer,
}: {
  heard: Heard[];
  commonest: Preview["commonest"];
  onAnswer: (id: string, yes: boolean | null, kind: "symptoms" | "risks") => void;
}) => (
  <>
    {heard.map((h, k) => (
      <Box
        key={h.kind + h.id}
        title={h.definition}
        data-sign={h.id}
        data-yes={h.yes}
        sx={{
          border: `1.5px solid ${v("ink")}`,
          borderLeftWidth: h.kind === "symptom" ? 6 : 3,
          background: v("sheet"),
          pl: 1,
          display: "flex",
          gap: 0.8,
          alignItems: "center",
          minHeight: 44,
        }}
      >
        <Box component="span" sx={{ fontSize: 16, fontWeight: 700, ...(h.at.length > 0 ? lineOf(k) : {}) }}>
          {h.yes === false ? `Not: ${h.name.toLowerCase()}` : h.name}
        </Box>
        <Button
          onClick={(e) => {
            // the button goes with the sign: nothing keeps the focus that Enter could press again
            e.currentTarget.blur();
            onAnswer(h.id, null, h.kind === "risk" ? "risks" : "symptoms");
          }}
          aria-label={`Not said: ${h.name}`}
          sx={{ minWidth: 44, minHeight: 44, height: 44, fontSize: 14.5, px: 0.8, border: 0 }}
        >
          Not said
        </Button>
      </Box>
    ))}
    {commonest.length > 0 && (
      <Box sx={{ display: "flex", gap: 0.8, flexWrap: "wrap", alignItems: "center" }} data-commonest>
        <Box component="span" sx={{ fontSize: 15 }}>
          No complaint heard. Commonest here:
        </Box>
        {commonest.map((c) => (
          <Button
            key={c.symptom}
            title={c.definition}
            onClick={() => {
              onAnswer(c.symptom, true, "symptoms");
            }}
            sx={{ minHeight: 44, height: 44, fontSize: 15, px: 1 }}
            data-common={c.symptom}
          >
            {c.name}
          </Button>
        ))}
      </Box>
    )}
  </>
);
