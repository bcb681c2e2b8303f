import Button from "@mui/material/Button";
import { useState } from "react";
import type { JobView } from "../api/client";
import { Form, Line, number } from "../ui/form";
import { ErrorLine } from "../ui/parts";
import { useWrite } from "./useWrite";

/** More minutes, or a correction below zero, with its reason. */
export const MinutesForm = ({ job }: { job: JobView }) => {
  const { write, busy, error, setError } = useWrite(job);
  const [mins, setMins] = useState("");
  const [what, setWhat] = useState("");
  return (
    <Form
      columns="200px 1fr auto"
      mark="minutes"
      onSend={() => {
        const n = number(mins);
        if (!Number.isFinite(n)) {
          setError(`“${mins}” is no number of minutes. Write 12, 7.5, or −10 to take some off.`);
          return;
        }
        write([{ kind: "minutes", minutes: n, what }], {
          sent: [
            [mins, setMins],
            [what, setWhat],
          ],
        });
      }}
    >
      <Line label="Minutes, − takes off" name="more" value={mins} onChange={setMins} />
      <Line label="What for, or why corrected" name="what" value={what} onChange={setWhat} />
      <Button type="submit" disabled={busy || mins.trim() === "" || what.trim() === ""} data-add-minutes>
        Add
      </Button>
      {error !== undefined && <ErrorLine>{error}</ErrorLine>}
    </Form>
  );
};
