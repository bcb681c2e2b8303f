import Button from "@mui/material/Button";
import { useState } from "react";
import { useSearchParams } from "react-router";
import type { JobView } from "../api/client";
import { Form, Line, Select, number } from "../ui/form";
import { cents, sign } from "../ui/format";
import { ErrorLine } from "../ui/parts";
import { Mends } from "./Mends";
import { useWrite } from "./useWrite";

export const FATES = [
  ["returned", "Returned to the customer"],
  ["kept", "Kept"],
  ["recycled", "Recycled"],
  ["hazardous-waste", "Hazardous waste"],
] as const;

/** A part out and in. */
export const PartForm = ({ job }: { job: JobView }) => {
  const [params] = useSearchParams();
  const { write, busy, error, setError } = useWrite(job);
  const [old, setOld] = useState("");
  const [fate, setFate] = useState("");
  const [fresh, setFresh] = useState("");
  const [price, setPrice] = useState("");
  const [mins, setMins] = useState("");
  const [mends, setMends] = useState(params.get("class") ?? job.bench?.suspects[0]?.class ?? "");
  const runs = job.clock.since != null;
  const send = () => {
    const amount = price.trim() === "" ? null : cents(price);
    if (price.trim() !== "" && amount === null) {
      setError(`“${price}” is no price. Write it as 12 or 12.50.`);
      return;
    }
    const spent = runs && mins.trim() === "" ? 0 : number(mins);
    if (!Number.isFinite(spent)) {
      setError("Say how many minutes it took, or start the clock.");
      return;
    }
    // a choice is no text that two of could be joined: of two the later stays
    setFate("");
    write(
      [
        {
          kind: "part",
          old: old.trim() || null,
          fate: (fate || null) as never,
          new: fresh.trim() || null,
          class: mends || null,
          minutes: spent,
          price_cents: amount,
        },
      ],
      {
        sent: [
          [old, setOld],
          [fresh, setFresh],
          [price, setPrice],
          [mins, setMins],
        ],
        refused: () => {
          setFate((now) => now || fate);
        },
      },
    );
  };
  return (
    <Form onSend={send} mark="part">
      <Line label="Part out" name="old" value={old} onChange={setOld} />
      <Select
        label="Old part goes to"
        name="fate"
        value={fate}
        onChange={setFate}
        empty="Old part goes to …"
        options={FATES}
      />
      <Line label="Part in" name="new" value={fresh} onChange={setFresh} />
      <Mends job={job} value={mends} onChange={setMends} />
      <Line
        label={runs ? "Minutes, the clock counts them" : "Minutes"}
        name="minutes"
        value={mins}
        onChange={setMins}
        mode="decimal"
      />
      <Line
        label={`Price without tax, ${sign().trim()}`}
        name="price"
        value={price}
        onChange={setPrice}
        mode="decimal"
      />
      <Button
        type="submit"
        disabled={busy || (old.trim() === "" && fresh.trim() === "")}
        data-add-part
        sx={{ justifySelf: "start" }}
      >
        Save the part
      </Button>
      {error !== undefined && <ErrorLine>{error}</ErrorLine>}
    </Form>
  );
};
