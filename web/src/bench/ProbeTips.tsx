import Box from "@mui/material/Box";
import type { Card, FaceView } from "../api/client";
import { v } from "../theme/tokens";
import { Face } from "./Face";

/** Where the tips go: the face of the plug, or the two places. */
export const ProbePlace = ({ card }: { card: Card }) => (
  <Box sx={{ width: 226, flex: "none", display: "flex", flexDirection: "column" }}>
    {card.face && card.black_face ? (
      <>
        <Half face={card.face} />
        <Half face={card.black_face} />
      </>
    ) : card.face ? (
      <>
        <Box sx={{ fontSize: 16, fontWeight: 700, lineHeight: 1.15 }}>
          {card.face.name}, {card.face.harness_half ? "harness half" : "device half"}
        </Box>
        <Box sx={{ fontSize: 14.5, color: v("ink2") }}>
          {card.face.joined ? "joined: probe from behind" : "apart: looking into the pins"}
        </Box>
        <Box sx={{ flex: 1, display: "grid", placeItems: "center" }}>
          <Face face={card.face} size={208} />
        </Box>
      </>
    ) : (
      <Places red={card.red} black={card.black} />
    )}
  </Box>
);

/** One of two plugs, each with one tip. */
const Half = ({ face }: { face: FaceView }) => (
  <Box sx={{ display: "flex", alignItems: "center", gap: 0.8, flex: 1, minHeight: 0 }}>
    <Face face={face} size={128} />
    <Box sx={{ fontSize: 14.5, fontWeight: 700, lineHeight: 1.15 }}>
      {face.name}
      <Box sx={{ fontWeight: 400, color: v("ink2") }}>
        {face.joined ? "from behind" : face.harness_half ? "apart, harness half" : "apart, device half"}
      </Box>
    </Box>
  </Box>
);

/** Both tips with their pins, what is measured, and what a sound vehicle shows. */
export const ProbeTips = ({ card }: { card: Card }) => (
  <Box sx={{ display: "flex", gap: 1.5, alignItems: "center" }}>
    <Token color="red" word="RED" pin={card.red} />
    <Token color="black" word="BLACK" pin={card.black} />
    <Box sx={{ minWidth: 0 }}>
      <Box
        sx={{
          fontSize: 15.5,
          color: v("ink2"),
          lineHeight: 1.12,
          display: "-webkit-box",
          WebkitLineClamp: 2,
          WebkitBoxOrient: "vertical",
          overflow: "hidden",
          // where the card is low the face and the tips say the rest
          "@container card (max-height: 270px)": { WebkitLineClamp: 1 },
        }}
      >
        {card.meter} · {card.what}
      </Box>
      <Box
        sx={{
          fontSize: card.expected.length > 24 ? 18.5 : card.expected.length > 15 ? 21 : 26,
          fontWeight: 700,
          lineHeight: 1.1,
          whiteSpace: "nowrap",
        }}
        data-expected
      >
        Expect {card.expected}
      </Box>
    </Box>
  </Box>
);

const Token = ({ color, word, pin }: { color: "red" | "black"; word: string; pin: string }) => (
  <Box sx={{ display: "flex", alignItems: "center", gap: 0.8, flex: "none" }}>
    <Box
      sx={{
        background: color === "red" ? v("probeRed") : v("probeBlack"),
        color: "#fff",
        fontSize: 15,
        fontWeight: 700,
        height: 42,
        display: "grid",
        placeItems: "center",
        pl: 2.4,
        pr: 1.2,
        clipPath: "polygon(16px 0, 100% 0, 100% 100%, 16px 100%, 0 50%)",
      }}
    >
      {word}
    </Box>
    <Box sx={{ fontSize: pin.length <= 2 ? 44 : 19, fontWeight: 750, lineHeight: 1, maxWidth: 92 }}>
      {pin}
    </Box>
  </Box>
);

const Places = ({ red, black }: { red: string; black: string }) => (
  <Box
    sx={{
      border: `2.2px solid ${v("ink")}`,
      background: v("paper"),
      height: "100%",
      display: "grid",
      placeItems: "center",
      p: 2,
      textAlign: "center",
    }}
  >
    <svg
      width="170"
      height="150"
      viewBox="0 0 170 150"
      role="img"
      aria-label={`Red on ${red}, black on ${black}`}
    >
      <path d="M20 75h130" stroke={v("ink")} strokeWidth="4" />
      <circle cx="40" cy="75" r="12" fill={v("sheet")} stroke={v("ink")} strokeWidth="3" />
      <circle cx="130" cy="75" r="12" fill={v("sheet")} stroke={v("ink")} strokeWidth="3" />
      <path d="M40 75L20 130" stroke={v("probeRed")} strokeWidth="7" />
      <path d="M130 75l20 55" stroke={v("probeBlack")} strokeWidth="7" />
      <text x="40" y="50" textAnchor="middle" fontSize="16" fontWeight="700">
        {red}
      </text>
      <text x="130" y="50" textAnchor="middle" fontSize="16" fontWeight="700">
        {black}
      </text>
    </svg>
  </Box>
);
