import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import { useQuery, useQueryClient } from "@tanstack/react-query";
import { api, take } from "../api/client";
import { v } from "../theme/tokens";
import { dayAndTime } from "../ui/format";
import { Section, useAct } from "./act";

/** What a browser calls itself, in the words that tell one from another. */
const machine = (said: string): string => {
  const system = /(Android|iPad|iPhone|Windows|Macintosh|Linux|CrOS)/u.exec(said)?.[1];
  const names: Record<string, string> = { Macintosh: "Mac", CrOS: "Chromebook" };
  return system === undefined ? "a program" : (names[system] ?? system);
};

/** Where one is signed in, each to be ended. */
export const Sessions = () => {
  const { act, said } = useAct();
  const client = useQueryClient();
  const all = useQuery({ queryKey: ["sessions"], queryFn: () => take(api.GET("/me/sessions")) });
  return (
    <Section
      title="Signed in"
      note="Where you are signed in. One that was not used for a while ends by itself."
    >
      <Box>
        {(all.data ?? []).map((s) => (
          <Box
            key={s.id}
            data-session={s.this ? "this" : "other"}
            sx={{
              display: "flex",
              gap: 1,
              alignItems: "center",
              minHeight: 56,
              borderBottom: `1px solid ${v("rule")}`,
            }}
          >
            <Box sx={{ flex: 1, minWidth: 0 }}>
              <b>{s.this ? "This one" : machine(s.device)}</b>
              <Box sx={{ fontSize: 14.5, color: v("ink2") }}>
                since {dayAndTime(s.began_at)}, last used {dayAndTime(s.seen_at)}, from {s.address}
              </Box>
            </Box>
            {!s.this && (
              <Button
                onClick={() =>
                  void act(async () => {
                    await take(api.DELETE("/me/sessions/{id}", { params: { path: { id: s.id } } }));
                    await client.invalidateQueries({ queryKey: ["sessions"] });
                    return "ended";
                  })
                }
              >
                End it
              </Button>
            )}
          </Box>
        ))}
      </Box>
      {said}
    </Section>
  );
};
