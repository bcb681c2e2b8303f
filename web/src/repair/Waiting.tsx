import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import { useState } from "react";
import type { JobView } from "../api/client";
import { v } from "../theme/tokens";
import { Form, Line, OneOf, Select } from "../ui/form";
import { dayAndTime, instant, when } from "../ui/format";
import { ErrorLine, Heading, Tick, Triangle } from "../ui/parts";
import { useWrite } from "./useWrite";

export const WAITS = [
  ["part", "a part on order"],
  ["charge", "a charge"],
  ["cure", "curing or drying"],
  ["rest", "a pack at rest"],
  ["customer", "the customer’s word"],
] as const;

/** What the job waits for now, and what ends the wait. */
export const WaitingNow = ({ job }: { job: JobView }) => {
  const { write, busy, error } = useWrite(job);
  const [arrived, setArrived] = useState(false);
  const w = job.waiting;
  if (w == null) return null;
  return (
    <Box
      sx={{ border: `1.5px solid ${v("ink")}`, background: v("sheet"), p: 1.6, fontSize: 17 }}
      data-waiting={w.kind}
    >
      <Box sx={{ display: "flex", gap: 1.5, alignItems: "center", flexWrap: "wrap" }}>
        <Box sx={{ flex: 1, minWidth: 260 }}>
          Waits for {WAITS.find((x) => x[0] === w.kind)?.[1]}: <b>{w.what}</b>
          {w.supplier ? `, from ${w.supplier}` : ""}
          {w.until ? `, until ${when(w.until, job.now)}` : ""}
        </Box>
        {w.kind === "part" && (
          <Button
            onClick={() => {
              setArrived(!arrived);
            }}
            data-arrived
          >
            It has arrived
          </Button>
        )}
        <Button
          disabled={busy}
          onClick={() => {
            write([{ kind: "resume" }]);
          }}
          data-resume
        >
          No longer waiting
        </Button>
      </Box>
      {arrived && (
        <GoodsIn
          job={job}
          what={w.what}
          supplier={w.supplier ?? ""}
          onDone={() => {
            setArrived(false);
          }}
        />
      )}
      {error !== undefined && <ErrorLine>{error}</ErrorLine>}
    </Box>
  );
};

const YES_NO = [
  ["yes", "Yes"],
  ["no", "No"],
] as const;

/** Goods-in: three looks before the part is used; a bad one leaves the job waiting and asks for a claim. */
const GoodsIn = ({
  job,
  what,
  supplier,
  onDone,
}: {
  job: JobView;
  what: string;
  supplier: string;
  onDone: () => void;
}) => {
  const { write, busy, error } = useWrite(job);
  const [whole, setWhole] = useState<"yes" | "no">();
  const [complete, setComplete] = useState<"yes" | "no">();
  const [right, setRight] = useState<"yes" | "no">();
  const [words, setWords] = useState("");
  const [claim, setClaim] = useState<"replacement" | "refund" | "missing-part">("replacement");
  const all = [whole, complete, right];
  const bad = all.includes("no");
  return (
    <Box sx={{ mt: 1.5, display: "grid", gap: 1.2 }} data-goods-in>
      {(
        [
          ["Undamaged?", whole, setWhole, "whole"],
          ["Contents complete?", complete, setComplete, "complete"],
          ["Label as ordered?", right, setRight, "right"],
        ] as const
      ).map(([ask, value, set, id]) => (
        <Box key={id} sx={{ display: "flex", gap: 1.5, alignItems: "center" }} data-look={id}>
          <Box sx={{ width: 190, fontWeight: 600 }}>{ask}</Box>
          <OneOf label={ask} value={value} options={YES_NO} onPick={set} />
        </Box>
      ))}
      {bad && (
        <>
          <Line label="What is wrong with it" name="wrong" value={words} onChange={setWords} />
          <Select
            label="What is asked of the supplier"
            value={claim}
            onChange={(x) => {
              setClaim(x as typeof claim);
            }}
            options={[
              ["replacement", "Another one"],
              ["refund", "The money back"],
              ["missing-part", "The missing piece"],
            ]}
          />
        </>
      )}
      <Button
        disabled={busy || all.includes(undefined) || (bad && words.trim() === "")}
        onClick={() => {
          write(
            [
              {
                kind: "goods-in",
                what,
                undamaged: whole === "yes",
                complete: complete === "yes",
                as_ordered: right === "yes",
                words,
              },
              ...(bad
                ? [
                    {
                      kind: "claim" as const,
                      supplier: supplier || "the supplier",
                      what,
                      facts: words,
                      wants: claim,
                    },
                  ]
                : []),
            ],
            { done: onDone },
          );
        }}
        data-goods-send
        sx={{ justifySelf: "start" }}
      >
        {bad ? "Record it, claim it" : "Good, accept it"}
      </Button>
      {error !== undefined && <ErrorLine>{error}</ErrorLine>}
    </Box>
  );
};

/** Arrivals and claims so far. */
export const Arrivals = ({ job }: { job: JobView }) =>
  job.arrivals.length + job.claims.length === 0 ? null : (
    <Box component="section">
      <Heading>Arrived, claimed</Heading>
      <Box sx={{ borderTop: `2px solid ${v("ink")}`, mt: 1, fontSize: 16 }}>
        {job.arrivals.map((a) => (
          <Box key={a.entry} sx={row} data-arrival={a.good ? "good" : "bad"}>
            {a.good ? <Tick /> : <Triangle />}
            <span>
              <b>{a.what}</b> {a.words} {dayAndTime(a.at)}
            </span>
          </Box>
        ))}
        {job.claims.map((c) => (
          <Box key={c.entry} sx={row} data-claim>
            <span>
              Claim to <b>{c.supplier}</b> for {c.what}: {c.facts}. Asked: {c.wants.replace("-", " ")}.
            </span>
          </Box>
        ))}
      </Box>
    </Box>
  );

const row = {
  display: "flex",
  gap: 1,
  alignItems: "center",
  minHeight: 44,
  borderBottom: `1px solid ${v("rule")}`,
} as const;

/** The job waits: it moves to the rack's lower rail until the wait is over. */
export const WaitForm = ({ job }: { job: JobView }) => {
  const { write, busy, error } = useWrite(job);
  const [kind, setKind] = useState<(typeof WAITS)[number][0]>("part");
  const [what, setWhat] = useState("");
  const [until, setUntil] = useState("");
  const [supplier, setSupplier] = useState("");
  return (
    <Form
      columns="210px 1fr"
      mark="wait"
      onSend={() => {
        write(
          [
            {
              kind: "wait",
              wait: kind,
              what,
              until: instant(until),
              supplier: kind === "part" && supplier.trim() !== "" ? supplier.trim() : null,
            },
          ],
          {
            sent: [
              [what, setWhat],
              [until, setUntil],
              [supplier, setSupplier],
            ],
          },
        );
      }}
    >
      <Select
        label="Waits for"
        name="wait"
        value={kind}
        onChange={(x) => {
          setKind(x as typeof kind);
        }}
        options={WAITS}
      />
      <Line label="Waits for what" name="wait-what" value={what} onChange={setWhat} />
      <Line label="Until, if known" type="datetime-local" value={until} onChange={setUntil} />
      {kind === "part" ? (
        <Line label="From whom, order number" name="supplier" value={supplier} onChange={setSupplier} />
      ) : (
        <span />
      )}
      <Button type="submit" disabled={busy || what.trim() === ""} data-wait sx={{ justifySelf: "start" }}>
        Put on hold
      </Button>
      {error !== undefined && <ErrorLine>{error}</ErrorLine>}
    </Form>
  );
};
