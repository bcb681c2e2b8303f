import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import { useEffect, useRef, useState, type ReactNode } from "react";
import type { Bench, Card } from "../api/client";
import { useCommands, type Command } from "../ui/commands";
import { choice, command } from "../ui/keys";
import { minutes, whole } from "../ui/format";
import { v } from "../theme/tokens";
import { ErrorLine, KeyedCard, Lock } from "../ui/parts";
import { CardHead } from "./CardHead";
import { CheckAnswers } from "./CheckAnswers";
import { PassOver } from "./PassOver";
import { Needs, Stands } from "./Prepare";
import { ProbePlace, ProbeTips } from "./ProbeTips";
import { ReadingForm } from "./ReadingForm";
import { Ruler } from "./Ruler";
import { useTaking, type Append, type Taking } from "./useTaking";
import { WhyTest } from "./WhyTest";

interface Props {
  /** Job, for readings captured from the meter. */
  job: string;
  /** A meter is connected. */
  meter: boolean;
  card: Card;
  append: Append;
  chosen: boolean;
  /** Where it stands among the first-minute checks. */
  progress?: string;
  /** Other tests worth doing, chosen by hand. */
  others: Bench["others"];
  /** The button for a photo, asked for before something is opened or unplugged. */
  photo: ReactNode;
  onChoose: (test: string) => void;
  /** This test is set up for: it stays until it is taken. */
  onHold: (test: string) => void;
  onBack: () => void;
  onTaken: () => void;
  /** What is asked for is not there: what the vehicle has is shown. */
  onMissing: () => void;
}

/** The keyed card of the Bench: a first-minute check or the next probe, with what each outcome means. */
export const CardView = ({
  job,
  meter,
  card,
  append,
  chosen,
  progress,
  others,
  photo,
  onChoose,
  onHold,
  onBack,
  onTaken,
  onMissing,
}: Props) => {
  const [passing, setPassing] = useState(false);
  const [why, setWhy] = useState(false);
  const field = useRef<HTMLInputElement>(null);
  const taking = useTaking({ job, card, append, onTaken, onWrong: () => field.current?.focus() });
  useEffect(() => {
    field.current?.focus({ preventScroll: true });
  }, [card.test, taking.stands, taking.needs.length]);
  const { error, needs } = taking;
  const blocked = card.blocked ?? undefined;
  const probe = card.kind === "probe";
  const ready = needs.length === 0 && blocked === undefined;
  // first from where it was seen to what was seen
  const back = taking.found !== undefined ? taking.again : chosen ? onBack : undefined;
  // the card that is set up for stays, and its field is ready
  const prepare = () => {
    onHold(card.test);
    taking.prepare();
    field.current?.focus({ preventScroll: true });
  };
  // behind “why this” nothing can be answered unseen
  useCommands(
    why
      ? [
          command("card.back", () => {
            setWhy(false);
          }),
        ]
      : [
          ...(probe ? readingCommands(taking, ready, meter) : answerCommands(card, taking, ready)),
          command(
            "card.set-up",
            blocked === undefined && !(taking.stands && needs.length === 0) && !taking.busy
              ? prepare
              : undefined,
          ),
          command("card.back", back),
        ],
  );
  // what opening destroys or unplugging hides can only be photographed before
  const asksPhoto =
    card.opens != null || card.state.some((s) => !s.ok && s.field === "plugs" && s.text.includes("apart"));
  return (
    <KeyedCard label={titleOf(card, chosen, progress)} sx={{ flex: 1, minWidth: 0 }}>
      <Box
        sx={{
          display: "flex",
          height: "100%",
          p: 1.4,
          px: 1.8,
          gap: 2,
          // its height comes from the page, not from what it holds
          "@media (min-width: 901px)": { container: "card / size" },
          "@media (max-width: 900px)": { minHeight: 380 },
        }}
        data-card={card.test}
      >
        {probe && !why && <ProbePlace card={card} />}
        <Box
          sx={{
            flex: 1,
            minWidth: 0,
            display: "flex",
            flexDirection: "column",
            gap: probe ? 0.25 : 0.9,
            justifyContent: probe && !why ? "space-between" : undefined,
            // what does not fit scrolls under the line where the figure goes in
            overflowY: "auto",
            mx: -0.6,
            px: 0.6,
          }}
        >
          <CardHead
            card={card}
            title={titleOf(card, chosen, progress)}
            why={why}
            passing={passing}
            // a refused figure takes its line: there is no room for both
            hidden={error !== undefined && probe}
            onWhy={() => {
              setWhy(!why);
            }}
            onPass={() => {
              setPassing(true);
            }}
            onBack={back}
          />
          {why ? null : probe ? (
            <ProbeTips card={card} />
          ) : (
            <Box component="h1" sx={{ m: 0, fontSize: 24, fontWeight: 750, lineHeight: 1.2 }}>
              {card.why}
            </Box>
          )}
          {error !== undefined && <Refused taking={taking} />}
          {card.set_up != null && (
            <Box sx={{ fontSize: 15.5, color: v("ink2") }} data-set-up>
              {card.set_up}
            </Box>
          )}
          {error === undefined &&
            !why &&
            taking.found === undefined &&
            (asksPhoto || card.state.length > 0 || needs.length > 0) && (
              <Stands card={card} taking={taking} asksPhoto={asksPhoto} photo={photo} onPrepare={prepare} />
            )}
          {why ? (
            <Box sx={{ overflowY: "auto", minHeight: 0 }}>
              <WhyTest card={card} />
            </Box>
          ) : blocked !== undefined ? (
            <Box sx={{ display: "flex", gap: 1, alignItems: "center", fontSize: 17, fontWeight: 650 }}>
              <Lock /> {blocked}
            </Box>
          ) : needs.length > 0 ? (
            <Needs taking={taking} onPrepare={prepare} />
          ) : probe ? (
            <>
              <Ruler card={card} parsed={taking.parsed} />
              <ReadingForm taking={taking} meter={meter} field={field} />
            </>
          ) : (
            <CheckAnswers card={card} taking={taking} />
          )}
          {!probe && !why && ready && card.bands.length <= 3 && others.length > 0 && (
            <Others others={others} onChoose={onChoose} />
          )}
          {!why && ready && (
            <Box
              sx={{
                mt: 2,
                display: "none",
                // the answers keep their room
                flex: "0 100 auto",
                minHeight: 0,
                overflowY: "auto",
                "@media (min-height: 890px) and (min-width: 901px)": { display: "block" },
              }}
            >
              <WhyTest card={card} />
            </Box>
          )}
          {passing && (
            <PassOver
              onPass={(reason) => {
                taking.skip(reason);
                setPassing(false);
              }}
              onKeep={() => {
                setPassing(false);
              }}
              onMissing={() => {
                setPassing(false);
                onMissing();
              }}
            />
          )}
        </Box>
      </Box>
    </KeyedCard>
  );
};

const titleOf = (card: Card, chosen: boolean, progress: string | undefined): string => {
  if (card.first_minute) return `First minute${progress === undefined ? "" : `, check ${progress}`}`;
  if (chosen) return "Chosen by hand";
  return card.kind === "probe" ? "Next probe" : "Next check";
};

/** A reading is taken by its field; without a figure by a letter, or a key of the number block. */
const readingCommands = (taking: Taking, ready: boolean, meter: boolean): Command[] => {
  const without = (result: "not-steady" | "nothing" | "cannot-reach") => () => {
    taking.reading(result, result === "cannot-reach");
  };
  return [
    command("card.meter", meter && ready ? () => void taking.capture() : undefined),
    command("card.not-steady", ready ? without("not-steady") : undefined),
    command("card.nothing", ready ? without("nothing") : undefined),
    command("card.no-reach", without("cannot-reach")),
  ].map((c) => ({ ...c, run: taking.typed === "" ? c.run : undefined }));
};

const answerCommands = (card: Card, taking: Taking, ready: boolean): Command[] => {
  const answer = (number: number, name: string, pick: () => void): Command =>
    choice(number, name, ready ? pick : undefined);
  const check = (outcome: string) => () => {
    taking.check(outcome);
  };
  const at = (place?: string) => () => {
    taking.at(place);
  };
  return taking.found === undefined
    ? [
        ...card.bands.slice(0, 9).map((b, k) => answer(k + 1, b.name, check(b.value ?? ""))),
        answer(0, "Cannot tell", check("cannot-tell")),
      ]
    : [
        ...taking.found.places.slice(0, 9).map((p, k) => answer(k + 1, p.name, at(p.strand))),
        answer(0, "Cannot say", at()),
      ];
};

/** Why a figure was refused, and what may have been meant. */
const Refused = ({ taking }: { taking: Taking }) => {
  const { suggest } = taking;
  return (
    <Box sx={{ display: "flex", gap: 1, alignItems: "center", flexWrap: "wrap" }}>
      <ErrorLine tight>{taking.error}</ErrorLine>
      {suggest !== undefined && suggest !== "" && (
        <Button
          type="button"
          sx={{ minHeight: 44 }}
          onClick={() => {
            taking.type(suggest);
            taking.reading("figure", false, suggest);
          }}
        >
          {suggest} it is
        </Button>
      )}
      {suggest !== undefined && (
        <Button
          type="button"
          sx={{ minHeight: 44 }}
          onClick={() => {
            taking.reading("figure", false, taking.typed, true);
          }}
        >
          The meter does show that
        </Button>
      )}
    </Box>
  );
};

/** Other tests that can be done before a look. */
const Others = ({ others, onChoose }: Pick<Props, "others" | "onChoose">) => (
  <Box
    sx={{
      mt: "auto",
      display: "flex",
      gap: 1,
      alignItems: "center",
      fontSize: 15,
      "@media (max-height: 790px)": { display: "none" },
    }}
  >
    Measure first:
    {others.slice(0, 2).map((o) => (
      <Button
        key={o.test}
        onClick={() => {
          onChoose(o.test);
        }}
        sx={{ minHeight: 44, fontSize: 15, fontWeight: 550, px: 1.2 }}
      >
        {whole(`${o.name}, ${minutes(o.minutes)} min`)}
      </Button>
    ))}
  </Box>
);
