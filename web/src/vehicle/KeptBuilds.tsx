import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import TextField from "@mui/material/TextField";
import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { api, take, type Body, type JobView, type KeptBuild } from "../api/client";
import { KEPT_BUILDS, useKeptBuilds } from "../api/hooks";
import { v } from "../theme/tokens";
import { day } from "../ui/format";
import { ErrorLine } from "../ui/parts";

/** What a kept build brings to another vehicle: nobody has looked at this one. */
const likely = (b: KeptBuild): Body[] =>
  b.changes.map((change) => ({ kind: "change", change, source: "guessed" }));

/** How this vehicle is put together, kept under a name; and what was kept of others like it, to begin with. */
export const KeptBuilds = ({
  job,
  closed,
  onTake,
}: {
  job: JobView;
  closed: boolean;
  onTake: (bodies: Body[]) => void;
}) => {
  const [name, setName] = useState("");
  // which one is about to be forgotten: the second press does it
  const [going, setGoing] = useState<string>();
  // the same id until it is kept: a press whose reply was lost keeps one build
  const [id, setId] = useState(() => crypto.randomUUID());
  const all = useKeptBuilds(job.volts_class, job.drive);
  const like = all.data ?? [];
  const client = useQueryClient();
  const anew = () => client.invalidateQueries({ queryKey: KEPT_BUILDS });
  const keep = useMutation({
    mutationFn: (as: string) =>
      take(
        api.POST("/jobs/{id}/build", {
          params: { path: { id: job.id } },
          body: { id, name: as },
        }),
      ),
    onSuccess: () => {
      setName("");
      setId(crypto.randomUUID());
      void anew();
    },
  });
  const forget = useMutation({
    mutationFn: (id: string) => take(api.DELETE("/builds/{id}", { params: { path: { id } } })),
    onSettled: () => {
      setGoing(undefined);
    },
    onSuccess: () => void anew(),
  });
  const error = keep.error ?? forget.error ?? all.error;
  return (
    <Box
      component="section"
      aria-label="Kept builds"
      data-kept-builds={like.length}
      sx={{
        borderTop: `2px solid ${v("ink")}`,
        mx: 2,
        mb: 3,
        pt: 1.2,
        display: "grid",
        gridTemplateColumns: "minmax(0, 1fr) minmax(0, 1.1fr)",
        gap: 3,
        fontSize: 16,
        "@media (max-width: 1000px)": { gridTemplateColumns: "minmax(0, 1fr)" },
      }}
    >
      <Box>
        <b style={{ fontSize: 17 }}>Keep as a build</b>
        <Box sx={{ color: v("ink2"), fontSize: 15 }}>
          Offered for the next one of these volts and this drive, as likely: nothing of it counts as seen
          there.
        </Box>
        <Box
          component="form"
          sx={{ display: "flex", gap: 1, mt: 0.8 }}
          onSubmit={(e) => {
            e.preventDefault();
            keep.mutate(name);
          }}
        >
          <TextField
            value={name}
            onChange={(e) => {
              setName(e.target.value);
            }}
            label="Name of this build"
            name="build"
            sx={{ flex: 1, minWidth: 0 }}
          />
          <Button type="submit" disabled={keep.isPending || name.trim() === ""} data-keep-build>
            Keep this build
          </Button>
        </Box>
        {error && <ErrorLine>{error.message}</ErrorLine>}
        {keep.data && !error && (
          <Box role="status" sx={{ mt: 0.5 }}>
            Kept as <b>{keep.data.name}</b>.
          </Box>
        )}
      </Box>
      <Box>
        <b style={{ fontSize: 17 }}>Kept of others like it</b>
        {like.length === 0 && (
          <Box sx={{ color: v("ink2"), fontSize: 15 }}>None of these volts and this drive yet.</Box>
        )}
        {like.map((b) => (
          <Box
            key={b.id}
            sx={{
              display: "flex",
              gap: 1,
              alignItems: "center",
              borderTop: `1px solid ${v("ruleStrong")}`,
              py: 0.5,
              mt: 0.5,
            }}
            data-kept={b.name}
          >
            <Box sx={{ flex: 1, minWidth: 0 }}>
              <b>{b.name}</b>
              <Box sx={{ color: v("ink2"), fontSize: 15 }}>
                {day(b.at)}, {b.by}; {b.changes.length} {b.changes.length === 1 ? "thing" : "things"} other
                than drawn, not verified here
              </Box>
            </Box>
            {b.job !== job.id && (
              <Button
                disabled={closed}
                onClick={() => {
                  onTake(likely(b));
                }}
                data-take-build
                sx={{ minHeight: 44, fontSize: 15.5 }}
              >
                It is like this
              </Button>
            )}
            {going === b.id && (
              <Button
                onClick={() => {
                  setGoing(undefined);
                }}
                data-keep-it
                sx={{ minHeight: 44, fontSize: 15.5 }}
              >
                No, keep it
              </Button>
            )}
            <Button
              disabled={forget.isPending}
              onClick={() => {
                if (going === b.id) forget.mutate(b.id);
                else setGoing(b.id);
              }}
              data-forget-build
              sx={{ minHeight: 44, fontSize: 15.5 }}
            >
              {going === b.id ? "Forget it for all" : "Forget"}
            </Button>
          </Box>
        ))}
      </Box>
    </Box>
  );
};
