import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import { useState } from "react";
import type { Body, Controls } from "../api/client";
import type { useAppend } from "../api/hooks";
import { v } from "../theme/tokens";
import { minutes } from "../ui/format";
import { useCommands } from "../ui/commands";
import { choice, command } from "../ui/keys";
import { ErrorLine, Key, KeyedCard } from "../ui/parts";

/**
 * Where the rider's controls stand, in one card: each stands as it should until it is touched; one press writes all of
 * them. Asked before anything is opened, for a switch that stands wrong looks like every fault.
 */
export const ControlsCard = ({
  controls,
  append,
  onLater,
}: {
  controls: Controls;
  append: ReturnType<typeof useAppend>;
  /** One at a time instead. */
  onLater: () => void;
}) => {
  const [stands, setStands] = useState<Record<string, number>>({});
  const wrong = controls.items.filter((i) => (stands[i.test] ?? 0) > 0);
  const turn = (test: string, values: number) => {
    setStands({ ...stands, [test]: ((stands[test] ?? 0) + 1) % values });
  };
  const take = () => {
    if (append.isPending) return;
    const bring: Body[] = controls.stands ? [] : [{ kind: "state", state: controls.as_asked }];
    append.mutate([
      ...bring,
      ...controls.items.map<Body>((i) => ({
        kind: "check",
        test: i.test,
        outcome: i.values[stands[i.test] ?? 0]?.value ?? "cannot-tell",
      })),
    ]);
  };
  useCommands([
    command("controls.take", take),
    command("controls.single", onLater),
    ...controls.items.map((i, k) =>
      choice(k + 1, i.name, () => {
        turn(i.test, i.values.length);
      }),
    ),
  ]);
  return (
    <KeyedCard label="Controls first" sx={{ flex: 1, minWidth: 0 }}>
      <Box
        sx={{ height: "100%", p: 1.4, px: 1.8, display: "flex", flexDirection: "column", gap: 0.9 }}
        data-controls={controls.items.length}
      >
        <Box sx={{ display: "flex", gap: 2, alignItems: "baseline", flexWrap: "wrap" }}>
          <Box component="h1" sx={{ m: 0, fontSize: 24, fontWeight: 750, lineHeight: 1.15 }}>
            How are the controls set?
          </Box>
          <Box sx={{ fontSize: 15, color: v("ink2") }}>
            About {minutes(controls.minutes)} min. One that is set wrong looks like every fault.
          </Box>
        </Box>
        <Box
          sx={{
            display: "grid",
            gridTemplateColumns: "repeat(auto-fill, minmax(180px, 1fr))",
            gap: 0.7,
            overflowY: "auto",
            minHeight: 0,
          }}
        >
          {controls.items.map((i, k) => {
            const at = stands[i.test] ?? 0;
            return (
              <Box
                key={i.test}
                component="button"
                type="button"
                title={i.how}
                disabled={append.isPending}
                onClick={() => {
                  turn(i.test, i.values.length);
                }}
                data-control={i.test}
                data-stands={i.values[at]?.value}
                sx={{
                  font: "inherit",
                  color: v("ink"),
                  textAlign: "left",
                  cursor: "pointer",
                  minHeight: 50,
                  p: 0.5,
                  px: 1.2,
                  display: "flex",
                  gap: 1,
                  alignItems: "center",
                  borderRadius: "3px",
                  border: at > 0 ? `3px solid ${v("copperFill")}` : `1.5px solid ${v("ink")}`,
                  background: at > 0 ? v("copperTint") : v("sheet"),
                }}
              >
                <span style={{ flex: 1, minWidth: 0 }}>
                  <Box component="span" sx={{ display: "block", fontSize: 14.5, color: v("ink2") }}>
                    {i.name}
                  </Box>
                  <Box
                    component="span"
                    sx={{ display: "block", fontSize: 18, fontWeight: 700, lineHeight: 1.15 }}
                  >
                    {i.values[at]?.name}
                  </Box>
                </span>
                <Key>{String(k + 1)}</Key>
              </Box>
            );
          })}
        </Box>
        {append.error && <ErrorLine>{append.error.message}</ErrorLine>}
        <Box sx={{ display: "flex", gap: 1, mt: "auto", alignItems: "center", flexWrap: "wrap" }}>
          <Button
            variant="contained"
            onClick={take}
            disabled={append.isPending}
            sx={{ gap: 1, minHeight: 56, fontSize: 19 }}
            data-controls-take
          >
            {wrong.length === 0 ? "All set right" : `Save: ${String(wrong.length)} set wrong`}{" "}
            <Key>Enter</Key>
          </Button>
          <Button
            onClick={onLater}
            disabled={append.isPending}
            sx={{ gap: 1, minHeight: 56 }}
            data-one-by-one
          >
            One at a time <Key>0</Key>
          </Button>
          <Box sx={{ fontSize: 15, color: v("ink2") }}>Press what is set differently.</Box>
        </Box>
      </Box>
    </KeyedCard>
  );
};
