import Box from "@mui/material/Box";
import type { Preview } from "../api/client";
import { v } from "../theme/tokens";

type Heard = Preview["heard"][number];

/** Each sign has a line of its own under the words that told it, and under its name. */
const LINES = ["solid", "double", "dashed", "dotted", "wavy"] as const;

export const lineOf = (k: number) => ({
  textDecorationLine: "underline",
  textDecorationStyle: LINES[k % LINES.length],
  textDecorationColor: v("copperFill"),
  textDecorationThickness: "2.5px",
  textUnderlineOffset: "4px",
});

/** The customer's words, with what was heard underlined where it stands. */
export const Words = ({
  words,
  heard,
  onWords,
}: {
  words: string;
  heard: Heard[];
  onWords: (words: string) => void;
}) => {
  // long words stay in view as a whole
  const text = {
    font: "inherit",
    fontSize: words.length > 48 ? 18 : 24,
    fontWeight: 700,
    lineHeight: 1.3,
    border: "1.5px solid transparent",
    borderRadius: "3px",
    p: 1,
    whiteSpace: "pre-wrap",
    overflowWrap: "break-word",
  } as const;
  return (
    <Box sx={{ position: "relative", height: 84 }}>
      <Box
        aria-hidden="true"
        data-underlined
        sx={{
          ...text,
          position: "absolute",
          inset: 0,
          overflow: "hidden",
          color: "transparent",
          background: v("sheet"),
        }}
      >
        {pieces(words, heard).map((p) => (
          <span key={p.from} data-heard={p.sign} style={p.line === undefined ? undefined : lineOf(p.line)}>
            {p.text}
          </span>
        ))}
      </Box>
      <Box
        component="textarea"
        id="words"
        autoFocus
        maxLength={2000}
        value={words}
        placeholder="One jerk, then nothing. Since the rain."
        onChange={(e: React.ChangeEvent<HTMLTextAreaElement>) => {
          onWords(e.target.value);
        }}
        onScroll={(e: React.UIEvent<HTMLTextAreaElement>) => {
          const under = e.currentTarget.previousElementSibling;
          if (under) under.scrollTop = e.currentTarget.scrollTop;
        }}
        onKeyDown={(e: React.KeyboardEvent) => {
          if (e.key === "Enter" && !e.shiftKey) {
            e.preventDefault();
            (e.target as HTMLElement).blur();
          }
        }}
        sx={{
          ...text,
          position: "absolute",
          inset: 0,
          width: "100%",
          height: "100%",
          resize: "none",
          border: `1.5px solid ${v("ink")}`,
          background: "transparent",
          color: v("ink"),
          "&::placeholder": { color: v("ruleStrong") },
        }}
      />
    </Box>
  );
};

interface Piece {
  from: number;
  text: string;
  /** Sign that was heard here. */
  sign?: string;
  /** Its line. */
  line?: number;
}

/** The words cut where something heard begins or ends; where two were heard at the same words, the first counts. */
const pieces = (words: string, heard: Heard[]): Piece[] => {
  const marks = heard.flatMap((h, line) => h.at.map((p) => ({ ...p, line, sign: h.id })));
  const cuts = [...new Set([0, words.length, ...marks.flatMap((m) => [m.from, m.to])])]
    .filter((c) => c <= words.length)
    .sort((a, b) => a - b);
  return cuts.slice(0, -1).map((from, k) => {
    const to = cuts[k + 1] ?? words.length;
    const mark = marks.find((m) => m.from <= from && to <= m.to);
    return { from, text: words.slice(from, to), sign: mark?.sign, line: mark?.line };
  });
};
