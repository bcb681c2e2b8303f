import { useRef, useState } from "react";
import { api, Refusal, take, type Body, type Card } from "../api/client";
import type { useAppend } from "../api/hooks";
import { parse } from "../reading/parse";
import { useKept } from "../ui/useKept";

export type Append = ReturnType<typeof useAppend>;
export type Result = "figure" | "nothing" | "not-steady" | "cannot-reach";

/** Taking what a test shows: the figure that is typed, how it is sent, and what was refused. */
export const useTaking = ({
  job,
  card,
  append,
  onTaken,
  onWrong,
}: {
  job: string;
  card: Card;
  append: Append;
  onTaken: () => void;
  /** The figure cannot be read: the field is the place to be. */
  onWrong: () => void;
}) => {
  const [typed, setTyped] = useKept(`${job}-${card.test}`);
  const [error, setError] = useState<string>();
  const [suggest, setSuggest] = useState<string>();
  const [waits, setWaits] = useState(false);
  /** What was seen at which test, while it is asked where. */
  const [seen, setSeen] = useState<{ test: string; outcome: string }>();
  const found = seen?.test === card.test ? card.bands.find((b) => b.value === seen.outcome) : undefined;
  const last = useRef(0);
  const unit = card.unit ?? null;
  const stands = card.state.every((s) => s.ok);
  const needs = card.needs.filter((n) => !n.confirmed);
  const asAsked: Body = { kind: "state", state: card.as_asked };

  // a second press within 400 ms is a slip of the pedal
  const slips = () => Date.now() - last.current < 400 || append.isPending;
  const send = (bodies: Body[], reset = true) => {
    if (slips()) return;
    last.current = Date.now();
    setError(undefined);
    setSuggest(undefined);
    append.mutate(bodies, {
      onSuccess: () => {
        if (reset) {
          setTyped("");
          onTaken();
        }
      },
      onError: (e) => {
        // nothing was taken: the answer to the question below is no slip
        last.current = 0;
        setError(e.message);
        if (e instanceof Refusal && e.code === "absurd-reading") setSuggest(e.problem?.suggestion ?? "");
      },
    });
  };
  const reading = (result: Result, asItStands: boolean, text = typed, insisted = false) => {
    if (result === "figure") {
      const p = parse(text, unit);
      if (!p.ok) {
        setError(p.sentence);
        onWrong();
        return;
      }
    }
    send([
      ...(asItStands || stands ? [] : [asAsked]),
      {
        kind: "reading",
        test: card.test,
        result,
        typed: result === "figure" ? text.trim() : "",
        insisted,
      },
    ]);
  };
  const check = (outcome: string, place?: string) => {
    send([...(stands ? [] : [asAsked]), { kind: "check", test: card.test, outcome, place }]);
  };
  return {
    typed,
    unit,
    parsed: typed.trim() === "" ? undefined : parse(typed, unit),
    error,
    suggest,
    /** The meter is being read. */
    waits,
    /** The vehicle stands as the test asks for. */
    stands,
    /** What is to be confirmed before. */
    needs,
    busy: append.isPending,
    type: (text: string) => {
      setTyped(text);
      setError(undefined);
      setSuggest(undefined);
    },
    reading,
    /** What was seen, while it is asked where. */
    found,
    check: (outcome: string) => {
      const band = card.bands.find((b) => b.value === outcome);
      if (band === undefined || band.places.length === 0) check(outcome);
      else if (!slips()) {
        last.current = Date.now();
        setSeen({ test: card.test, outcome });
      }
    },
    /** Where it was seen; none when that cannot be told. */
    at: (place: string | undefined) => {
      if (found === undefined || slips()) return;
      check(found.value ?? "", place);
      setSeen(undefined);
    },
    /** It was something else that was seen. */
    again: () => {
      last.current = 0;
      setSeen(undefined);
    },
    skip: (reason: string) => {
      send([{ kind: "skip", test: card.test, reason }]);
    },
    /** Bring the vehicle to the state that is asked for, and confirm what is asked, in one go. */
    prepare: () => {
      send(
        [...(stands ? [] : [asAsked]), ...needs.map<Body>((n) => ({ kind: "confirmed", need: n.id }))],
        false,
      );
      // what is answered right after it is no second press of the same
      last.current = 0;
    },
    /** Read the meter and take what it shows, in one press. */
    capture: async () => {
      if (waits || append.isPending) return;
      setWaits(true);
      setError(undefined);
      try {
        const path = { id: job, test: card.test };
        const shown = await take(api.POST("/jobs/{id}/tests/{test}/capture", { params: { path } }));
        reading("figure", false, shown.typed);
      } catch (e) {
        setError(e instanceof Error ? e.message : String(e));
        onWrong();
      } finally {
        setWaits(false);
      }
    },
  };
};

export type Taking = ReturnType<typeof useTaking>;
