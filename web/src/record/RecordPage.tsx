import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import { useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { useNavigate, useParams } from "react-router";
import { api, take, type JobView } from "../api/client";
import { useAppend, useJob, useMe, useRecord } from "../api/hooks";
import { JobLine } from "../frame/JobLine";
import { Cell, JobCell, TitleBlock } from "../frame/TitleBlock";
import { confirmed } from "../people/confirm";
import { PhotoButton, Photos } from "../photos/Photos";
import { v } from "../theme/tokens";
import { handOver } from "../ui/handOver";
import { useKept } from "../ui/useKept";
import { dayAndTime, minutes, money } from "../ui/format";
import { ErrorLine, Heading, Tick, Triangle } from "../ui/parts";
import { CsvIn } from "./CsvIn";
import { StrikeOut } from "./StrikeOut";
import { Plain } from "../ui/form";
import { Table } from "../ui/Table";

/** The plain record: every reading, part and minute, in the order of the log. */
export const RecordPage = () => {
  const { id = "" } = useParams();
  const job = useJob(id);
  const record = useRecord(id);
  const append = useAppend(job.data);
  const [note, setNote] = useKept(`${id}-note`);
  const go = useNavigate();
  const me = useMe();
  if (!job.data || !record.data)
    return (
      <Box sx={{ p: 3 }}>
        {(job.error ?? record.error) ? (
          <ErrorLine>{(job.error ?? record.error)?.message}</ErrorLine>
        ) : (
          "Fetching the record"
        )}
      </Box>
    );
  const r = record.data;
  return (
    <Box sx={{ minHeight: "100vh" }}>
      <JobLine job={job.data} here="record" />
      <TitleBlock>
        <JobCell job={job.data} />
        <Cell width={150} caption="Minutes">
          {minutes(r.minutes)}
        </Cell>
        <Cell width={150} caption="Parts">
          {money(r.parts_cents)}
        </Cell>
        <Cell width={330} caption="Outcome">
          <span data-outcome={r.outcome ?? "open"}>
            {r.outcome
              ? `${r.outcome.replaceAll("-", " ")}${r.mended ? `: ${r.mended.toLowerCase()}` : ""}`
              : "not closed yet"}
          </span>
        </Cell>
      </TitleBlock>
      <Box sx={{ p: 2, maxWidth: 1180 }}>
        <Box sx={{ display: "flex", gap: 1, alignItems: "center", mb: 1, flexWrap: "wrap" }}>
          <Heading note={`${String(r.lines.length)} lines${r.customer ? `, for ${r.customer.name}` : ""}`}>
            Record
          </Heading>
          <Box sx={{ flex: 1 }} />
          <Button component="a" href={`/api/jobs/${id}/export.json`} data-export-json>
            Job as JSON
          </Button>
          <Button component="a" href={`/api/jobs/${id}/readings.csv`} data-export-csv>
            Readings
          </Button>
          <Button component="a" href={`/api/jobs/${id}/parts.csv`} data-export-parts>
            Parts
          </Button>
          <Button component="a" href={`/api/jobs/${id}/time.csv`} data-export-time>
            Minutes, CSV
          </Button>
          {job.data.drive !== "other" && (
            <Button component="a" href={`/api/jobs/${id}/circuit.cir`} data-export-circuit>
              Circuit, SPICE
            </Button>
          )}
          {job.data.closed == null && <CsvIn job={job.data} />}
          <Button onClick={() => void go(`/jobs/${id}/report?copy=customer`)} data-to-report>
            Report
          </Button>
        </Box>
        {r.broken != null && (
          <Box data-broken sx={{ border: `3px solid ${v("ink")}`, p: 1.5, mb: 1.5, fontSize: 17 }}>
            <b>This job cannot be worked on.</b> {r.broken} Strike out what does not fit, or export it.
          </Box>
        )}
        <Table sx={{ "& td": { verticalAlign: "top" } }}>
          <tbody>
            {r.lines.map((l) => (
              <Box
                component="tr"
                key={l.entry}
                data-line={l.kind}
                sx={{
                  textDecoration: l.voided == null ? "none" : "line-through",
                  fontWeight: ["reading", "part", "close"].includes(l.kind) ? 650 : 500,
                }}
              >
                <td style={{ whiteSpace: "nowrap", color: v("ink2") }}>{dayAndTime(l.at)}</td>
                <td style={{ whiteSpace: "nowrap" }}>{l.by}</td>
                <td>
                  <Photos
                    job={job.data}
                    photos={job.data.photos.filter((p) => (p.of ?? p.entry) === l.entry)}
                  />
                  {l.text}
                  {l.voided == null ? "" : ` (struck out: ${l.voided})`}
                </td>
                <td style={{ textAlign: "right" }}>
                  {l.value}{" "}
                  {l.when != null && <span style={{ whiteSpace: "nowrap" }}>{dayAndTime(l.when)}</span>}
                </td>
                {job.data.closed == null && (
                  <td style={{ padding: 0 }}>
                    <Box sx={{ display: "flex", justifyContent: "flex-end" }}>
                      {l.can_be_struck_out && <StrikeOut job={job.data} entry={l.entry} what={l.text} />}
                      {l.kind !== "photo" && (
                        <PhotoButton job={job.data} of={l.entry} caption={l.text.slice(0, 80)} words="" />
                      )}
                    </Box>
                  </td>
                )}
              </Box>
            ))}
          </tbody>
        </Table>
        {r.unread.map((u) => (
          <Box key={u.seq} data-unread sx={{ fontSize: 15, borderBottom: `1px solid ${v("rule")}`, py: 0.8 }}>
            {dayAndTime(u.at)} {u.by}: not read here ({u.why}).{" "}
            <code style={{ overflowWrap: "anywhere" }}>{u.text}</code>
          </Box>
        ))}
        <Box
          data-chain={r.chain.whole}
          sx={{ fontSize: 15, color: v("ink2"), mt: 1, display: "flex", gap: 0.7 }}
        >
          {r.chain.whole ? <Tick size={17} /> : <Triangle size={17} />}
          {r.chain.whole
            ? `As it was written: every line fits the one before, to ${r.chain.hash.slice(0, 12)}.`
            : `Changed behind the program: line ${String(r.chain.broken_at ?? "")} does not fit the one before.`}
        </Box>
        <Box
          component="form"
          onSubmit={(e: React.FormEvent) => {
            e.preventDefault();
            append.mutate([{ kind: "note", text: note }], { onError: handOver([[note, setNote]]) });
          }}
          sx={{ display: "flex", gap: 1, mt: 2 }}
        >
          <Plain
            label="Note"
            hint="A note"
            value={note}
            onChange={setNote}
            sx={{ flex: 1, fontSize: 17, height: 48, px: 1.2 }}
          />
          <Button type="submit" disabled={note.trim() === ""}>
            Save the note
          </Button>
        </Box>
        {append.error && <ErrorLine>{append.error.message}</ErrorLine>}
        <Box sx={{ mt: 2, display: "grid", gap: 1.5, justifyItems: "start" }}>
          {me.data?.role === "owner" && job.data.customer_id != null && job.data.customer != null && (
            <EraseCustomer job={job.data} />
          )}
          <PhotoButton job={job.data} caption={note.trim() || "Record"} words="Photo to the record" />
        </Box>
      </Box>
    </Box>
  );
};

/** The owner erases a customer's card: the log holds only its id and stays as it is. */
const EraseCustomer = ({ job }: { job: JobView }) => {
  const client = useQueryClient();
  const [sure, setSure] = useState(false);
  const [error, setError] = useState<string>();
  const erase = async () => {
    try {
      const id = job.customer_id ?? "";
      await confirmed(() => take(api.DELETE("/customers/{id}", { params: { path: { id } } })));
      await client.invalidateQueries();
    } catch (x) {
      setError(x instanceof Error ? x.message : String(x));
    }
  };
  return (
    <Box sx={{ display: "flex", gap: 1, alignItems: "center", flexWrap: "wrap" }}>
      {sure ? (
        <>
          <span>
            Name and contact of <b>{job.customer?.name}</b> go from every job, and do not come back.
          </span>
          <Button onClick={() => void erase()} data-erase-sure>
            Erase them
          </Button>
          <Button
            onClick={() => {
              setSure(false);
            }}
          >
            Cancel
          </Button>
        </>
      ) : (
        <Button
          onClick={() => {
            setSure(true);
          }}
          data-erase
        >
          Erase the customer’s data
        </Button>
      )}
      {error !== undefined && <ErrorLine>{error}</ErrorLine>}
    </Box>
  );
};
