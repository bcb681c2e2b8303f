import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import { useMemo } from "react";
import { useParams } from "react-router";
import { useAppend, useChoices, useJob } from "../api/hooks";
import { JobLine } from "../frame/JobLine";
import { Cell, JobCell, MinutesCell, TitleBlock } from "../frame/TitleBlock";
import { v } from "../theme/tokens";
import { Select } from "../ui/form";
import { ErrorLine, Heading } from "../ui/parts";
import { EarlierJobs } from "./EarlierJobs";
import { LaterForm } from "./Later";

/** Intake of an open job: what was told, and what can come at any time. */
export const IntakeOfJob = () => {
  const { id = "" } = useParams();
  const job = useJob(id, "intake");
  const append = useAppend(job.data);
  const choices = useChoices();
  const told = useMemo(
    () =>
      job.data
        ? [
            ...job.data.symptoms.map((s) => ({ ...s, kind: "symptom" as const })),
            ...job.data.risks.map((r) => ({ ...r, kind: "risk" as const })),
          ]
        : [],
    [job.data],
  );
  if (!job.data)
    return (
      <Box sx={{ p: 3 }}>{job.error ? <ErrorLine>{job.error.message}</ErrorLine> : "Fetching the job"}</Box>
    );
  const j = job.data;
  const set = (kind: "symptom" | "risk", which: string, yes: boolean | null) => {
    append.mutate([
      kind === "symptom" ? { kind, symptom: which, yes, by_customer: true } : { kind, risk: which, yes },
    ]);
  };
  return (
    <Box sx={{ minHeight: "100vh", display: "flex", flexDirection: "column" }}>
      <JobLine job={j} here="intake" />
      <TitleBlock>
        <JobCell job={j} />
        <MinutesCell job={j} />
        <Cell width={220} caption="Pack">
          {j.pack ? `sticker ${j.pack.sticker}` : "not named"}
        </Cell>
      </TitleBlock>
      <Box
        sx={{
          display: "grid",
          gridTemplateColumns: "minmax(0, 1fr) minmax(0, 1fr)",
          gap: 3,
          p: 2,
          "@media (max-width: 900px)": { gridTemplateColumns: "minmax(0, 1fr)" },
        }}
      >
        <Box>
          <Heading note="in the customer’s words">What was told</Heading>
          <Box sx={{ fontSize: 24, fontWeight: 700, my: 1.5 }}>“{j.words}”</Box>
          {told.map((s) => (
            <Box
              key={s.id}
              sx={{
                borderTop: `1px solid ${v("ruleStrong")}`,
                py: 1,
                display: "flex",
                gap: 1,
                alignItems: "center",
              }}
            >
              <Box sx={{ flex: 1 }}>
                <b style={{ fontSize: 17 }}>{s.name}</b>
                <Box sx={{ fontSize: 14.5, color: v("ink2") }}>{s.definition}</Box>
              </Box>
              {(
                [
                  ["Yes", true],
                  ["No", false],
                  ["Not known", null],
                ] as const
              ).map(([name, yes]) => (
                <Button
                  key={name}
                  aria-pressed={(s.yes ?? null) === yes}
                  disabled={append.isPending || j.closed != null}
                  onClick={() => {
                    set(s.kind, s.id, yes);
                  }}
                  sx={{
                    minWidth: 52,
                    px: 1,
                    fontSize: 15,
                    ...((s.yes ?? null) === yes
                      ? { background: v("ink"), color: v("sheet"), "&:hover": { background: v("ink2") } }
                      : {}),
                  }}
                >
                  {name}
                </Button>
              ))}
            </Box>
          ))}
          {append.error && <ErrorLine>{append.error.message}</ErrorLine>}
          {j.closed == null && (
            <Box sx={{ mt: 1.5, maxWidth: 320 }}>
              <Select
                label="Add a sign"
                value=""
                onChange={(id) => {
                  if (id) set("symptom", id, true);
                }}
                empty="Add a sign …"
                options={(choices.data?.symptoms ?? [])
                  .filter((x) => !j.symptoms.some((told) => told.id === x.id))
                  .map((x) => [x.id, x.name] as const)}
              />
            </Box>
          )}
          <EarlierJobs job={j} />
        </Box>
        <LaterForm key={j.id} job={j} />
      </Box>
    </Box>
  );
};
