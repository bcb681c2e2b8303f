import Box from "@mui/material/Box";
import type { ReactNode } from "react";
import type { Card } from "../api/client";
import { Choice } from "../ui/Choice";
import type { Taking } from "./useTaking";

const sentence = (name: string): string => name.charAt(0).toUpperCase() + name.slice(1);

/** The key of an answer: the first nine have one. */
const keyOf = (k: number): string | undefined => (k < 9 ? String(k + 1) : undefined);

const Answers = ({ columns, children }: { columns: string; children: ReactNode }) => (
  <Box
    sx={{
      display: "grid",
      gridTemplateColumns: columns,
      // as tall as what stands in it: what does not fit is scrolled to
      gridAutoRows: "max-content",
      gap: 0.8,
      overflowY: "auto",
      minHeight: 0,
    }}
  >
    {children}
  </Box>
);

/** What can be seen at a look, each with what it would mean; then where. */
export const CheckAnswers = ({ card, taking }: { card: Card; taking: Taking }) => {
  const { found } = taking;
  if (found !== undefined) return <Where found={found} taking={taking} />;
  const columns =
    card.bands.length > 5 ? "repeat(4, 1fr)" : card.bands.length === 2 ? "repeat(3, 1fr)" : "1fr 1fr";
  return (
    <Answers columns={columns}>
      {card.bands.map((b, k) => (
        <Choice
          key={b.value ?? b.name}
          name={sentence(b.name)}
          effect={b.effect}
          hotkey={keyOf(k)}
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
    </Answers>
  );
};

/** Where it was seen, each place with what it would mean. */
const Where = ({ found, taking }: { found: Card["bands"][number]; taking: Taking }) => (
  <>
    <Box sx={{ fontSize: 17, fontWeight: 650 }} data-where={found.value}>
      {`${sentence(found.name)}: at which one?`}
    </Box>
    <Answers columns="repeat(4, 1fr)">
      {found.places.map((p, k) => (
        <Choice
          key={p.strand}
          name={p.name}
          effect={p.effect}
          hotkey={keyOf(k)}
          disabled={taking.busy}
          onPick={() => {
            taking.at(p.strand);
          }}
        />
      ))}
      <Choice
        name="Cannot say"
        effect={found.effect}
        hotkey="0"
        disabled={taking.busy}
        onPick={() => {
          taking.at(undefined);
        }}
      />
    </Answers>
  </>
);
