import Box from "@mui/material/Box";
import type { Card } from "../api/client";
import { Choice } from "../ui/Choice";
import type { Taking } from "./useTaking";

/** What can be seen at a look, each with what it would mean. */
export const CheckAnswers = ({ card, taking }: { card: Card; taking: Taking }) => (
  <Box
    sx={{
      display: "grid",
      gridTemplateColumns:
        card.bands.length > 5 ? "repeat(4, 1fr)" : card.bands.length === 2 ? "repeat(3, 1fr)" : "1fr 1fr",
      gridAutoRows: "minmax(60px, auto)",
      gap: 0.8,
      overflowY: "auto",
      minHeight: 0,
    }}
  >
    {card.bands.map((b, k) => (
      <Choice
        key={b.value ?? b.name}
        name={b.name.charAt(0).toUpperCase() + b.name.slice(1)}
        effect={b.effect}
        hotkey={k < 9 ? String(k + 1) : undefined}
        disabled={taking.busy}
        onPick={() => {
          taking.check(b.value ?? "");
        }}
      />
    ))}
    <Choice
      name="Cannot tell"
      effect="changes nothing"
      hotkey="0"
      disabled={taking.busy}
      onPick={() => {
        taking.check("cannot-tell");
      }}
    />
  </Box>
);
