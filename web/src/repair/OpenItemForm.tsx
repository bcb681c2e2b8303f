import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import { useState } from "react";
import type { JobView } from "../api/client";
import { v } from "../theme/tokens";
import { Form, Line, Select } from "../ui/form";
import { ErrorLine } from "../ui/parts";
import { useWrite } from "./useWrite";

/** Something is left open on purpose: it holds the hand-back until it is closed. */
export const OpenItemForm = ({ job }: { job: JobView }) => {
  const { write, busy, error } = useWrite(job);
  const [item, setItem] = useState(job.item_kinds[0]?.id ?? "");
  const [what, setWhat] = useState("");
  const kind = job.item_kinds.find((k) => k.id === item);
  return (
    <Form
      columns="240px 1fr auto"
      mark="open-item"
      onSend={() => {
        write([{ kind: "open-item", item, what }], { sent: [[what, setWhat]] });
      }}
    >
      <Select
        label="Kind"
        name="item"
        value={item}
        onChange={setItem}
        options={job.item_kinds.map((k) => [k.id, k.name] as const)}
      />
      <Line label="What and where" name="left-open" value={what} onChange={setWhat} />
      <Button type="submit" disabled={busy || what.trim() === ""} data-add-item>
        Add to what is to do
      </Button>
      <Box sx={{ gridColumn: "1 / -1", fontSize: 15, color: v("ink2") }}>{kind?.detail}</Box>
      {error !== undefined && <ErrorLine>{error}</ErrorLine>}
    </Form>
  );
};
