import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import { useState } from "react";
import type { JobView, QuoteView } from "../api/client";
import { useShop } from "../api/hooks";
import { v } from "../theme/tokens";
import { Form, Line, number } from "../ui/form";
import { cents, dayAndTime, minutes, money } from "../ui/format";
import { ErrorLine, Heading, Tick } from "../ui/parts";
import { useWrite } from "./useWrite";

const ANSWERS = {
  accepted: "accepted",
  declined: "declined",
  less: "for less",
  "no-answer": "no answer yet",
};

/** Quotes with their sums; the last one open asks for the customer's answer. */
export const Quotes = ({ job }: { job: JobView }) =>
  job.quotes.length === 0 ? null : (
    <Box component="section">
      <Heading note="to the customer, and what was said">Quotes</Heading>
      <Box sx={{ borderTop: `2px solid ${v("ink")}`, mt: 1 }}>
        {job.quotes.map((q) => (
          <One key={q.entry} job={job} quote={q} />
        ))}
      </Box>
    </Box>
  );

const One = ({ job, quote: q }: { job: JobView; quote: QuoteView }) => (
  <Box
    sx={{ py: 1, borderBottom: `1px solid ${v("ruleStrong")}`, fontSize: 16 }}
    data-quote={q.answer ?? "open"}
  >
    <Box sx={{ display: "flex", gap: 2, alignItems: "baseline" }}>
      <Box sx={{ flex: 1 }}>
        <b>
          {[...q.lines.map((l) => `${l.quantity === 1 ? "" : `${String(l.quantity)} × `}${l.what}`)].join(
            ", ",
          )}
        </b>{" "}
        labour {q.sum.billed_minutes} min{q.words ? `. ${q.words}` : ""}
        <Box sx={{ color: v("ink2"), fontSize: 15 }}>
          {dayAndTime(q.at)}, {q.by}
        </Box>
      </Box>
      <b style={{ fontSize: 20 }}>{money(q.sum.total_cents, q.currency)}</b>
    </Box>
    {q.answer != null && (
      <Box sx={{ display: "flex", gap: 1, alignItems: "center" }}>
        {q.answer === "accepted" && <Tick />}
        Customer: <b>{ANSWERS[q.answer]}</b>
        {q.limit_cents == null ? "" : `, up to ${money(q.limit_cents, q.currency)}`}
        {q.answer_words ? `: “${q.answer_words}”` : ""}
      </Box>
    )}
    {q.open && job.closed == null && <Answer job={job} quote={q} />}
  </Box>
);

const Answer = ({ job, quote }: { job: JobView; quote: QuoteView }) => {
  const { write, busy, error, setError } = useWrite(job);
  const [less, setLess] = useState("");
  const [words, setWords] = useState("");
  const send = (answer: "accepted" | "declined" | "less" | "no-answer") => {
    const limit = answer === "less" ? cents(less) : null;
    if (answer === "less" && limit === null) {
      setError("Less: up to which sum, tax included? Write it as 120 or 120.50.");
      return;
    }
    write([{ kind: "quote-answer", quote: quote.entry, answer, limit_cents: limit, words }]);
  };
  return (
    <Box sx={{ mt: 1, display: "grid", gap: 1, gridTemplateColumns: "1fr 170px", maxWidth: 760 }}>
      <Line label="In the customer’s words" name="answer-words" value={words} onChange={setWords} />
      <Line label="For less, up to" name="less" value={less} onChange={setLess} mode="decimal" />
      <Box sx={{ gridColumn: "1 / -1", display: "flex", gap: 0.8, flexWrap: "wrap" }}>
        {(
          [
            ["accepted", "Accepted"],
            ["less", "For less"],
            ["declined", "Declined"],
            ["no-answer", "No answer yet"],
          ] as const
        ).map(([id, name]) => (
          <Button
            key={id}
            disabled={busy}
            onClick={() => {
              send(id);
            }}
            data-answer-quote={id}
          >
            {name}
          </Button>
        ))}
      </Box>
      {error !== undefined && <ErrorLine>{error}</ErrorLine>}
    </Box>
  );
};

interface Draft {
  what: string;
  quantity: string;
  price: string;
}
const blank = (): Draft => ({ what: "", quantity: "1", price: "" });

/** A quote: lines, minutes; worked out with the shop's rate, step and tax. */
export const QuoteForm = ({ job }: { job: JobView }) => {
  const { write, busy, error, setError } = useWrite(job);
  const shop = useShop();
  const likely = job.bench?.minutes_to_go[1];
  const [lines, setLines] = useState<Draft[]>([blank()]);
  const [mins, setMins] = useState(
    likely === undefined ? "" : String(Math.round(likely + job.clock.minutes)),
  );
  const [words, setWords] = useState("");
  const set = (k: number, change: Partial<Draft>) => {
    setLines((all) => all.map((l, i) => (i === k ? { ...l, ...change } : l)));
  };
  const send = () => {
    const filled = lines.filter((l) => l.what.trim() !== "" || l.price.trim() !== "");
    const read = filled.map((l) => ({
      what: l.what.trim(),
      quantity: number(l.quantity),
      unit_cents: cents(l.price) ?? NaN,
    }));
    const bad = read.findIndex((l) => !Number.isFinite(l.quantity) || !Number.isFinite(l.unit_cents));
    if (bad >= 0) {
      setError(`Line ${String(bad + 1)}: a quantity such as 1 or 0.5, and a price such as 12 or 12.50.`);
      return;
    }
    const spent = mins.trim() === "" ? 0 : number(mins);
    if (!Number.isFinite(spent)) {
      setError(`“${mins}” is no number of minutes.`);
      return;
    }
    // empty at once, as every field: what is typed from here on is the next quote
    setLines([blank()]);
    write([{ kind: "quote", lines: read, minutes: spent, words }], {
      sent: [[words, setWords]],
      refused: () => {
        setLines((now) => (now.every((l) => l.what === "" && l.price === "") ? lines : now));
      },
    });
  };
  const terms = shop.data?.terms;
  return (
    <Box data-form="quote" sx={{ display: "grid", gap: 1 }}>
      {lines.map((l, k) => (
        <Box key={k} sx={{ display: "grid", gridTemplateColumns: "1fr 100px 150px", gap: 1 }}>
          <Line
            label="Part or work"
            name={`quote-what-${String(k)}`}
            value={l.what}
            onChange={(t) => {
              set(k, { what: t });
            }}
          />
          <Line
            label="How many"
            value={l.quantity}
            onChange={(t) => {
              set(k, { quantity: t });
            }}
            mode="decimal"
          />
          <Line
            label="Price of one"
            name={`quote-price-${String(k)}`}
            value={l.price}
            onChange={(t) => {
              set(k, { price: t });
            }}
            mode="decimal"
          />
        </Box>
      ))}
      <Form columns="150px 1fr auto auto" onSend={send}>
        <Line label="Minutes" name="quote-minutes" value={mins} onChange={setMins} mode="decimal" />
        <Line label="In words" value={words} onChange={setWords} />
        <Button
          type="button"
          onClick={() => {
            setLines([...lines, blank()]);
          }}
        >
          One more line
        </Button>
        <Button type="submit" disabled={busy} data-add-quote>
          Save the quote
        </Button>
      </Form>
      {terms && (
        <Box sx={{ fontSize: 15, color: v("ink2") }}>
          {money(terms.rate_cents, terms.currency)} per hour in steps of {minutes(terms.step_minutes)} min,
          tax {terms.tax_percent} %. The job waits until it is answered.
        </Box>
      )}
      {error !== undefined && <ErrorLine>{error}</ErrorLine>}
    </Box>
  );
};
