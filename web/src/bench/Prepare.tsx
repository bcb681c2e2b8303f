import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import type { ReactNode } from "react";
import type { Card } from "../api/client";
import { v } from "../theme/tokens";
import { Key, Tick } from "../ui/parts";
import type { Taking } from "./useTaking";

/** How the vehicle has to stand for this test, and the photo to take before something is opened. */
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
}) => (
  <Box sx={{ display: "flex", gap: 0.8, flexWrap: "wrap", alignItems: "center" }} data-state-row>
    {asksPhoto && (
      <Box
        sx={{
          display: "flex",
          gap: 0.8,
          alignItems: "center",
          fontSize: 14.5,
          "& .MuiButton-root": { minHeight: 34, py: 0 },
        }}
        data-photo-first
      >
        {photo}
        {card.opens != null ? "before it is opened" : "before the plug is pulled"}
      </Box>
    )}
    {card.state.map((s) => (
      <Chip key={s.field} ok={s.ok} text={s.text} />
    ))}
    {!taking.stands && card.blocked == null && taking.needs.length === 0 && (
      <Button
        onClick={onPrepare}
        disabled={taking.busy}
        sx={{
          gap: 0.8,
          minHeight: 44,
          fontSize: 15.5,
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

/** What has to be confirmed before this test, each with its caution. */
export const Needs = ({ taking, onPrepare }: { taking: Taking; onPrepare: () => void }) => (
  <Box sx={{ display: "grid", gap: 0.6 }}>
    {taking.needs.map((n) => (
      <Box
        key={n.id}
        sx={{
          display: "flex",
          gap: 1.2,
          alignItems: "center",
          border: `2px solid ${v("ink")}`,
          p: 0.8,
          pl: 1.2,
        }}
      >
        <Box sx={{ flex: 1 }}>
          <b style={{ fontSize: 16 }}>{n.ask}</b>
          <Box sx={{ fontSize: 14.5, color: v("ink2") }}>{n.caution}</Box>
        </Box>
      </Box>
    ))}
    <Box>
      <Button variant="contained" onClick={onPrepare} disabled={taking.busy} data-confirm>
        {taking.stands ? "Confirmed" : "Set up as shown, confirmed"}
      </Button>
    </Box>
  </Box>
);

const Chip = ({ ok, text }: { ok: boolean; text: string }) => (
  <Box
    sx={{
      minHeight: 36,
      display: "flex",
      alignItems: "center",
      gap: 0.8,
      px: 1.2,
      border: `${ok ? "1.5px" : "3px"} solid ${ok ? v("ruleStrong") : v("copperFill")}`,
      background: ok ? "transparent" : v("copperTint"),
      borderRadius: "3px",
      fontSize: 16,
      fontWeight: ok ? 550 : 700,
    }}
  >
    {text} {ok && <Tick size={16} />}
  </Box>
);
