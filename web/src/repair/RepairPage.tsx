import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import { useState } from "react";
import { useNavigate, useParams, useSearchParams } from "react-router";
import type { JobView } from "../api/client";
import { useChoices, useJob } from "../api/hooks";
import { JobLine } from "../frame/JobLine";
import { JobCell, MinutesCell, MoneyCell, TitleBlock, Warnings } from "../frame/TitleBlock";
import { PhotoButton, Photos } from "../photos/Photos";
import { StrikeOut } from "../record/StrikeOut";
import { v } from "../theme/tokens";
import { pressed } from "../ui/form";
import { minutes, money } from "../ui/format";
import { useCommands } from "../ui/commands";
import { choice, command } from "../ui/keys";
import { Digit, ErrorLine, Heading } from "../ui/parts";
import { Assembly, AssemblyForm } from "./Assembly";
import { Holds } from "./Holds";
import { MinutesForm } from "./MinutesForm";
import { OpenItemForm } from "./OpenItemForm";
import { OwnershipForm } from "./OwnershipForm";
import { PartForm } from "./PartForm";
import { Quotes, QuoteForm } from "./Quote";
import { Arrivals, WaitForm, WaitingNow } from "./Waiting";

export const RepairPage = () => {
  const { id = "" } = useParams();
  const job = useJob(id);
  if (!job.data)
    return (
      <Box sx={{ p: 3 }}>{job.error ? <ErrorLine>{job.error.message}</ErrorLine> : "Fetching the job"}</Box>
    );
  return <Repair job={job.data} />;
};

const DESKS = [
  ["part", "Part out, in"],
  ["minutes", "Minutes"],
  ["assembly", "Reassembly"],
  ["open", "Still to do"],
  ["wait", "Waits"],
  ["quote", "Quote"],
  ["owner", "Ownership"],
] as const;
type Desk = (typeof DESKS)[number][0];

const Repair = ({ job }: { job: JobView }) => {
  const closed = job.closed != null;
  const choices = useChoices();
  const [params] = useSearchParams();
  const asked = DESKS.find((d) => d[0] === params.get("desk"))?.[0];
  const [desk, setDesk] = useState<Desk>(asked ?? "part");
  const name = (id: string | null | undefined) =>
    choices.data?.classes.find((c) => c.id === id)?.name ?? id ?? "";
  const sum = job.money.sum;
  const go = useNavigate();
  useCommands([
    command("repair.proof", () => void go(`/jobs/${job.id}/proof`)),
    ...DESKS.map(([id, name], k) =>
      choice(
        k + 1,
        name,
        closed
          ? undefined
          : () => {
              setDesk(id);
            },
      ),
    ),
  ]);
  return (
    <Box sx={{ minHeight: "100vh", display: "flex", flexDirection: "column" }}>
      <JobLine job={job} here="repair" />
      <TitleBlock>
        <JobCell job={job} />
        <MinutesCell job={job} />
        <MoneyCell job={job} />
      </TitleBlock>
      <Warnings job={job} />
      <Box
        sx={{
          p: 2,
          display: "grid",
          gridTemplateColumns: "minmax(0, 1.9fr) minmax(0, 1fr)",
          gap: 3,
          alignItems: "start",
          "@media (max-width: 900px)": { gridTemplateColumns: "minmax(0, 1fr)" },
        }}
      >
        <Box sx={{ display: "grid", gap: 2 }}>
          <Box>
            <Heading note="old part and where it goes, new part">Out and in</Heading>
            <Box sx={{ borderTop: `2px solid ${v("ink")}`, mt: 1 }}>
              {job.parts.length === 0 && <Box sx={{ py: 1.5, fontSize: 16 }}>No part changed yet.</Box>}
              {job.parts.map((p) => (
                <Box
                  key={p.entry}
                  data-part
                  sx={{
                    display: "grid",
                    gridTemplateColumns: "minmax(0, 1fr) 24px minmax(0, 1fr) 68px 76px auto",
                    gap: 1,
                    alignItems: "center",
                    minHeight: 52,
                    borderBottom: `1px solid ${v("ruleStrong")}`,
                    py: 0.6,
                  }}
                >
                  <Box sx={{ minWidth: 0 }}>
                    <b>{p.old ?? "nothing out"}</b>
                    <Box sx={{ fontSize: 14.5, color: v("ink2") }}>{p.fate_words}</Box>
                  </Box>
                  <svg width="24" height="14" aria-hidden="true">
                    <path d="M0 7h16" stroke={v("ink")} strokeWidth="2.4" />
                    <path d="M14 1l9 6-9 6z" fill={v("ink")} />
                  </svg>
                  <Box sx={{ minWidth: 0 }}>
                    <b>{p.new ?? "nothing in"}</b>
                    <Box sx={{ fontSize: 14.5, color: v("ink2") }}>{name(p.class)}</Box>
                  </Box>
                  <Box sx={{ textAlign: "right" }}>{minutes(p.minutes)} min</Box>
                  <Box sx={{ textAlign: "right" }}>{p.price_cents == null ? "" : money(p.price_cents)}</Box>
                  <StrikeOut job={job} entry={p.entry} what={p.new ?? p.old ?? "part"} />
                </Box>
              ))}
              <Box sx={{ fontSize: 15.5, py: 1 }} data-sum>
                Parts {money(sum.parts_cents)}, labour {sum.billed_minutes} min {money(sum.labour_cents)}
                {sum.small_cents > 0 ? `, consumables ${money(sum.small_cents)}` : ""}, tax{" "}
                {money(sum.tax_cents)}: <b>{money(sum.total_cents)}</b>
              </Box>
            </Box>
          </Box>
          <WaitingNow job={job} />
          <Arrivals job={job} />
          {!closed && (
            <Box>
              <Box
                role="group"
                aria-label="What to write"
                sx={{ display: "flex", gap: 0.6, flexWrap: "wrap" }}
              >
                {DESKS.map(([id, words], k) => (
                  <Button
                    key={id}
                    aria-pressed={desk === id}
                    onClick={() => {
                      setDesk(id);
                    }}
                    data-desk={id}
                    sx={{ minHeight: 46, fontSize: 15.5, px: 0.8, minWidth: 0, ...pressed(desk === id) }}
                  >
                    <Digit>{k + 1}</Digit>
                    {words}
                  </Button>
                ))}
                <PhotoButton job={job} caption="Repair" />
              </Box>
              <Box sx={{ mt: 1.6 }}>
                {desk === "part" && <PartForm job={job} />}
                {desk === "minutes" && <MinutesForm job={job} />}
                {desk === "assembly" && <AssemblyForm job={job} />}
                {desk === "open" && <OpenItemForm job={job} />}
                {desk === "wait" && <WaitForm job={job} />}
                {desk === "quote" && <QuoteForm job={job} />}
                {desk === "owner" && <OwnershipForm job={job} />}
              </Box>
            </Box>
          )}
          <Quotes job={job} />
          <Assembly job={job} />
          <Photos job={job} photos={job.photos} />
        </Box>
        <Holds job={job} />
      </Box>
    </Box>
  );
};
