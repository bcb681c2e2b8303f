import Box from "@mui/material/Box";
import { v } from "../theme/tokens";
import { KeyedCard } from "../ui/parts";

/** Before anything is known: the frame of what will be drawn. */
export const Outline = () => {
  const dash = {
    border: `1.5px dashed ${v("ink3")}`,
    display: "grid",
    placeItems: "center",
    color: v("ink2"),
  } as const;
  return (
    <Box
      sx={{
        flex: 1,
        px: 2,
        pb: 2,
        display: "grid",
        gridTemplateRows: "290px minmax(160px, 1fr)",
        gap: 2,
        fontSize: 17,
        textAlign: "center",
      }}
    >
      <Box
        sx={{ display: "grid", gridTemplateColumns: "90px 90px 1fr 1fr 130px", gap: 2, alignItems: "center" }}
      >
        {["Pack", "Fuse", "Controller and its strands", "Phases, hall wires", "Motor"].map((name, k) => (
          <Box key={name} sx={{ ...dash, height: k === 4 ? 130 : 96, borderRadius: k === 4 ? "50%" : 0 }}>
            {name}
          </Box>
        ))}
      </Box>
      <Box sx={{ display: "grid", gridTemplateColumns: "1fr 408px", gap: 2 }}>
        <Box sx={dash}>The question that tells most, and the way to the gate</Box>
        <Box sx={dash}>First suspects</Box>
      </Box>
    </Box>
  );
};

/** No wiring model: the job opens all the same, and says what it can do without one. */
export const NoModel = () => (
  <Box sx={{ p: 2, flex: 1 }}>
    <KeyedCard label="Open without a wiring model" sx={{ maxWidth: 760 }}>
      <Box sx={{ p: 2.4, display: "grid", gap: 1.4, justifyItems: "start", fontSize: 17 }}>
        <Box component="h1" sx={{ m: 0, fontSize: 24, fontWeight: 750 }}>
          No suspects for this vehicle
        </Box>
        <span>
          They are worked out from a wiring model, and there is none for it. Points are named by hand and
          compared with an identical working vehicle; gate, parts, minutes, quote, proof and report all work.
        </span>
      </Box>
    </KeyedCard>
  </Box>
);
