import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import type { ReactNode } from "react";
import type { Card } from "../api/client";
import { v } from "../theme/tokens";
import { Key, Tick } from "../ui/parts";
import type { Taking } from "./useTaking";

/** How the vehicle has to stand for this test, and the photo to take before something is opened: one row, whatever is asked. */
export const Stands = ({
  card,
  taking,
  asksPhoto,
  photo,
  onPrepare,
}: {
  card: Card;
  taking: Taking;
  asksPhoto: boolean;
  photo: ReactNode;
  onPrepare: () => void;
}) => {
  const asked = !taking.stands && card.blocked == null && taking.needs.length === 0;
  return (
    <Box sx={{ display: "flex", gap: 0.8, alignItems: "stretch", flex: "none" }} data-state-row>
      {asksPhoto && (
        <Box
          sx={{
            display: "flex",
            flex: "none",
            maxWidth: 152,
            fontSize: 13.5,
            lineHeight: 1.1,
            flexDirection: "column",
            "& .MuiButton-root": { minHeight: 30, py: 0 },
          }}
          data-photo-first
        >
          {photo}
          {card.opens != null ? "before it is opened" : "before the plug is pulled"}
        </Box>
      )}
      {card.state.length > 0 && (
        <Box
          component="ul"
          sx={{
            m: 0,
            flex: asked || asksPhoto ? 1 : "none",
            minWidth: 0,
            minHeight: 36,
            display: "flex",
            flexWrap: "wrap",
            alignContent: "center",
            columnGap: 1.4,
            px: 1.2,
            py: 0.2,
            listStyle: "none",
            border: taking.stands ? `1.5px solid ${v("ruleStrong")}` : `3px solid ${v("copperFill")}`,
            background: taking.stands ? "transparent" : v("copperTint"),
            borderRadius: "3px",
            fontSize: 15.5,
            lineHeight: 1.2,
          }}
        >
          {card.state.map((s) => (
            <Box
              component="li"
              key={s.field}
              sx={{ whiteSpace: "nowrap", fontWeight: s.ok ? 450 : 700 }}
              data-stands={s.ok}
            >
              {s.text} {s.ok && <Tick size={14} />}
            </Box>
          ))}
        </Box>
      )}
      {asked && (
        <Button
          onClick={onPrepare}
          disabled={taking.busy}
          sx={{
            flex: "none",
            gap: 0.8,
            minHeight: 44,
            fontSize: 15.5,
            lineHeight: 1.1,
            borderColor: v("copperFill"),
            background: v("copperTint"),
            "&:hover": { background: v("copperTint") },
          }}
          data-as-asked
        >
          Set up as shown <Key>G</Key>
        </Button>
      )}
    </Box>
  );
};

/** What has to be confirmed before this test, each with its caution. */
export const Needs = ({ taking, onPrepare }: { taking: Taking; onPrepare: () => void }) => (
  <Box sx={{ display: "flex", gap: 0.8, flex: "none", "@media (max-width: 979px)": { flexWrap: "wrap" } }}>
    <Box sx={{ flex: "1 1 300px", display: "grid", gap: 0.6 }}>
      {taking.needs.map((n) => (
        <Box key={n.id} sx={{ border: `2px solid ${v("ink")}`, p: 0.8, pl: 1.2 }}>
          <b style={{ fontSize: 16 }}>{n.ask}</b>
          <Box sx={{ fontSize: 14.5, color: v("ink2") }}>{n.caution}</Box>
        </Box>
      ))}
    </Box>
    <Button
      variant="contained"
      onClick={onPrepare}
      disabled={taking.busy}
      sx={{ flex: "none", minWidth: 128, maxWidth: 160, lineHeight: 1.15 }}
      data-confirm
    >
      {taking.stands ? "Confirmed" : "Set up as shown, confirmed"}
    </Button>
  </Box>
);
