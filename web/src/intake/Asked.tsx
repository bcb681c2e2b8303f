import Box from "@mui/material/Box";
import type { Bench, Preview } from "../api/client";
import { v } from "../theme/tokens";
import { Choice } from "../ui/Choice";
import { KeyedCard } from "../ui/parts";

/** The question that tells most, and what is probed after the gate. */
export const Asked = ({
  preview,
  bench,
  onAnswer,
}: {
  preview: Preview;
  bench: Bench;
  onAnswer: (symptom: string, yes: boolean | null) => void;
}) => {
  const question = preview.question ?? undefined;
  return (
    <KeyedCard label="Asked now" sx={{ flex: 1, minHeight: 200 }}>
      <Box sx={{ p: 1.6, display: "grid", gap: 0.9 }}>
        {question ? (
          <>
            <Box sx={{ fontSize: 16 }}>
              <b style={{ color: v("copper") }}>Asked now</b> {question.definition}
            </Box>
            <Box component="h1" sx={{ m: 0, fontSize: 24, fontWeight: 750 }}>
              {question.ask}
            </Box>
            <Box sx={{ display: "grid", gridTemplateColumns: "1fr 1fr 1fr", gap: 1 }}>
              {question.answers.map((a, k) => (
                <Choice
                  key={a.name}
                  name={a.name}
                  effect={a.effect}
                  hotkey={["1", "2", "0"][k]}
                  onPick={() => {
                    onAnswer(question.symptom, a.yes ?? null);
                  }}
                />
              ))}
            </Box>
          </>
        ) : (
          <Box component="h1" sx={{ m: 0, fontSize: 24, fontWeight: 750 }}>
            No more questions: what is left is measured.
          </Box>
        )}
        <Box sx={{ fontSize: 15 }}>
          After the gate <b>{bench.next?.name ?? "nothing to probe"}</b>
          {bench.others[0] && (
            <>
              {" "}
              and <b>{bench.others[0].name}</b>
            </>
          )}
          .
        </Box>
      </Box>
    </KeyedCard>
  );
};
