import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import { useSyncExternalStore } from "react";
import { pressed } from "../ui/form";
import { choice, choose, follow, type Choice } from "./mode";

const WORDS: Record<Choice, string> = { light: "Light", dark: "Dark", system: "As the device" };

/** Light, dim, or as the device has it; remembered on this device. */
export const ThemeSwitch = () => {
  const now = useSyncExternalStore(follow, choice);
  return (
    <Box role="group" aria-label="Theme" sx={{ display: "flex", gap: 0.8, width: "100%" }}>
      {(["light", "dark", "system"] as const).map((c) => (
        <Button
          key={c}
          aria-pressed={now === c}
          onClick={() => {
            choose(c);
          }}
          data-theme-choice={c}
          sx={{ minHeight: 46, fontSize: 16, flex: 1, px: 0.8, ...pressed(now === c) }}
        >
          {WORDS[c]}
        </Button>
      ))}
    </Box>
  );
};
