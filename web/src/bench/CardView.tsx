import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import { useEffect, useRef, useState, type ReactNode } from "react";
import type { Bench, Body, Card } from "../api/client";
import { api, Refusal, take } from "../api/client";
import type { useAppend } from "../api/hooks";
import { parse } from "../reading/parse";
import { v } from "../theme/tokens";
import { Choice } from "../ui/Choice";
import { minutes, whole } from "../ui/format";
import { useKeys } from "../ui/keys";
import { useKept } from "../ui/useKept";
import { ErrorLine, KeyedCard, Lock, Tick } from "../ui/parts";
import { Face } from "./Face";
import { Ruler } from "./Ruler";
import { WhyTest } from "./WhyTest";

type Append = ReturnType<typeof useAppend>;

const SYMBOL = { volts: "V", ohms: "Ω", amps: "A" } as const;

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
  onBack: () => void;
  onTaken: () => void;
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
  onBack,
  onTaken,
}: Props) => {
  const [typed, setTyped] = useKept(`${job}-${card.test}`);
  const [error, setError] = useState<string>();
  const [suggest, setSuggest] = useState<string>();
  const [skip, setSkip] = useState<string>();
  const [why, setWhy] = useState(false);
  const field = useRef<HTMLInputElement>(null);
  const last = useRef(0);
  const unit = card.unit ?? null;
  const parsed = typed.trim() === "" ? undefined : parse(typed, unit);
  const stands = card.state.every((s) => s.ok);
  const needs = card.needs.filter((n) => !n.confirmed);
  const blocked = card.blocked ?? undefined;
  useEffect(() => {
    field.current?.focus({ preventScroll: true });
  }, [card.test]);

  const send = (bodies: Body[], reset = true) => {
    // a second take within 400 ms is a slip of the pedal
    if (Date.now() - last.current < 400 || append.isPending) return;
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
        if (e instanceof Refusal && e.code === "absurd-reading") {
          setSuggest(e.problem?.suggestion ?? "");
        }
      },
    });
  };
  /** Bring the state and confirm what is asked, then take it, in one go. */
  const prepared = (): Body[] => [
    ...(stands ? [] : [{ kind: "state", state: card.as_asked } as Body]),
    ...needs.map<Body>((n) => ({ kind: "confirmed", need: n.id })),
  ];
  const ready = needs.length === 0 && blocked === undefined;
  const reading = (
    result: "figure" | "nothing" | "not-steady" | "cannot-reach",
    asStands: boolean,
    text = typed,
    insisted = false,
  ) => {
    if (result === "figure") {
      const p = parse(text, unit);
      if (!p.ok) {
        setError(p.sentence);
        field.current?.focus();
        return;
      }
    }
    const bring: Body[] = asStands || stands ? [] : [{ kind: "state", state: card.as_asked }];
    send([
      ...bring,
      {
        kind: "reading",
        test: card.test,
        result,
        typed: result === "figure" ? text.trim() : "",
        minutes: Math.round(card.minutes * 10) / 10,
        insisted,
      },
    ]);
  };
  const [waits, setWaits] = useState(false);
  /** Read the meter and take what it shows, in one press. */
  const capture = async () => {
    if (waits || append.isPending) return;
    setWaits(true);
    setError(undefined);
    try {
      const path = { id: job, test: card.test };
      const shown = await take(api.POST("/jobs/{id}/tests/{test}/capture", { params: { path } }));
      reading("figure", false, shown.typed);
    } catch (e) {
      setError(e instanceof Error ? e.message : String(e));
      field.current?.focus();
    } finally {
      setWaits(false);
    }
  };
  const check = (outcome: string) => {
    const bring: Body[] = stands ? [] : [{ kind: "state", state: card.as_asked }];
    send([
      ...bring,
      { kind: "check", test: card.test, outcome, minutes: Math.round(card.minutes * 10) / 10 },
    ]);
  };
  const probe = card.kind === "probe";
  // what opening destroys or unplugging hides can only be photographed before
  const asksPhoto =
    card.opens != null || card.state.some((s) => !s.ok && s.field === "plugs" && s.text.includes("apart"));
  const empty = typed === "";
  // behind “why this” nothing can be answered unseen
  useKeys(
    why
      ? {
          Escape: () => {
            setWhy(false);
          },
        }
      : probe
        ? {
            s:
              empty && ready
                ? () => {
                    reading("not-steady", false);
                  }
                : undefined,
            n:
              empty && ready
                ? () => {
                    reading("nothing", false);
                  }
                : undefined,
            r: empty
              ? () => {
                  reading("cannot-reach", true);
                }
              : undefined,
            Escape: chosen ? onBack : undefined,
          }
        : {
            ...Object.fromEntries(
              card.bands.map((b, k) => [
                String(k + 1),
                ready
                  ? () => {
                      check(b.value ?? "");
                    }
                  : undefined,
              ]),
            ),
            "0": ready
              ? () => {
                  check("cannot-tell");
                }
              : undefined,
            Escape: chosen ? onBack : undefined,
          },
  );
  const title = card.first_minute
    ? `First minute${progress === undefined ? "" : `, check ${progress}`}`
    : chosen
      ? "Chosen by hand"
      : probe
        ? "Next probe"
        : "Next check";

  return (
    <KeyedCard label={title} sx={{ flex: 1, minWidth: 0 }}>
      <Box
        sx={{
          display: "flex",
          height: "100%",
          p: 1.4,
          px: 1.8,
          gap: 2,
          "@media (max-width: 900px)": { minHeight: 380 },
        }}
        data-card={card.test}
      >
        {probe && (
          <Box sx={{ width: 226, flex: "none", display: "flex", flexDirection: "column" }}>
            {card.face ? (
              <>
                <Box sx={{ fontSize: 16, fontWeight: 700, lineHeight: 1.15 }}>
                  {card.face.name}, {card.face.harness_half ? "harness half" : "device half"}
                </Box>
                <Box sx={{ fontSize: 14.5, color: v("ink2") }}>
                  {card.face.joined ? "joined: probe from behind" : "apart: looking into the pins"}
                </Box>
                <Box sx={{ flex: 1, display: "grid", placeItems: "center" }}>
                  <Face face={card.face} size={208} />
                </Box>
              </>
            ) : (
              <Places red={card.red} black={card.black} />
            )}
          </Box>
        )}
        <Box
          sx={{
            flex: 1,
            minWidth: 0,
            display: "flex",
            flexDirection: "column",
            gap: probe ? 0.25 : 0.9,
            justifyContent: probe ? "space-between" : undefined,
            // what does not fit scrolls under the line where the figure goes in
            overflowY: "auto",
            mx: -0.6,
            px: 0.6,
          }}
        >
          <Box
            sx={{
              flex: "none",
              fontSize: 15.5,
              // a refused figure takes its line: there is no room for both
              display: error !== undefined && probe ? "none" : "flex",
              gap: 1,
              alignItems: "baseline",
              pr: 3,
            }}
          >
            <b style={{ color: v("copper"), whiteSpace: "nowrap" }}>{title}</b>
            <Box component="span" sx={{ overflow: "hidden", textOverflow: "ellipsis", whiteSpace: "nowrap" }}>
              {probe ? `${card.why}.` : `${card.name}.`} About {minutes(card.minutes)} min.
              {card.opens
                ? ` Opens: ${card.opens.toLowerCase()}${card.destroys ? ` (renews ${card.destroys})` : ""}.`
                : ""}
            </Box>
            <TextButton
              aria-expanded={why}
              onClick={() => {
                setWhy(!why);
              }}
              ml={"auto"}
              data-why-this
            >
              {" "}
              {why ? "Back to it" : "Why this"}
            </TextButton>
            {skip === undefined && (
              <TextButton
                onClick={() => {
                  setSkip("");
                }}
                ml={0.5}
                data-skip
              >
                {" "}
                Pass it over
              </TextButton>
            )}
            {chosen && (
              <Button
                onClick={onBack}
                sx={{ minHeight: 30, height: 30, fontSize: 14, py: 0, whiteSpace: "nowrap" }}
              >
                Back to the proposal
              </Button>
            )}
          </Box>
          {probe ? (
            <Box sx={{ display: "flex", gap: 1.5, alignItems: "center" }}>
              <Token color="red" word="RED" pin={card.red} />
              <Token color="black" word="BLACK" pin={card.black} />
              <Box sx={{ minWidth: 0 }}>
                <Box
                  sx={{
                    fontSize: 15.5,
                    color: v("ink2"),
                    lineHeight: 1.12,
                    maxHeight: 36,
                    overflow: "hidden",
                  }}
                >
                  {card.what} · {card.meter}
                </Box>
                <Box
                  sx={{
                    fontSize: card.expected.length > 24 ? 18.5 : card.expected.length > 15 ? 21 : 26,
                    fontWeight: 700,
                    lineHeight: 1.1,
                    whiteSpace: "nowrap",
                  }}
                  data-expected
                >
                  Expect {card.expected}
                </Box>
              </Box>
            </Box>
          ) : (
            <>
              <Box component="h1" sx={{ m: 0, fontSize: 24, fontWeight: 750, lineHeight: 1.2 }}>
                {card.why}
              </Box>
            </>
          )}
          {error !== undefined && (
            <Box sx={{ display: "flex", gap: 1, alignItems: "center", flexWrap: "wrap" }}>
              <ErrorLine tight>{error}</ErrorLine>
              {suggest !== undefined && (
                <>
                  {suggest !== "" && (
                    <Button
                      type="button"
                      sx={{ minHeight: 44 }}
                      onClick={() => {
                        setTyped(suggest);
                        reading("figure", false, suggest);
                      }}
                    >
                      {suggest} it is
                    </Button>
                  )}
                  <Button
                    type="button"
                    sx={{ minHeight: 44 }}
                    onClick={() => {
                      reading("figure", false, typed, true);
                    }}
                  >
                    It does read that
                  </Button>
                </>
              )}
            </Box>
          )}
          {card.set_up != null && (
            <Box sx={{ fontSize: 15.5, color: v("ink2") }} data-set-up>
              {card.set_up}
            </Box>
          )}
          {error === undefined && (asksPhoto || card.state.length > 0 || needs.length > 0) && (
            <Box sx={{ display: "flex", gap: 0.8, flexWrap: "wrap", alignItems: "center" }} data-state-row>
              {asksPhoto && (
                <Box
                  sx={{
                    display: "flex",
                    gap: 0.8,
                    alignItems: "center",
                    fontSize: 14.5,
                    "& .MuiButton-root": { minHeight: 34, py: 0 },
                  }}
                  data-photo-first
                >
                  {photo}
                  {card.opens != null ? "before it is opened" : "before the plug is pulled"}
                </Box>
              )}
              {card.state.map((s) => (
                <Chip key={s.field} ok={s.ok} text={s.text} />
              ))}
              {!stands && blocked === undefined && needs.length === 0 && (
                <Button
                  onClick={() => {
                    send(
                      prepared().filter((b) => b.kind === "state"),
                      false,
                    );
                  }}
                  disabled={append.isPending}
                  sx={{
                    minHeight: 44,
                    fontSize: 15.5,
                    borderColor: v("copperFill"),
                    background: v("copperTint"),
                    "&:hover": { background: v("copperTint") },
                  }}
                  data-as-asked
                >
                  Stands as asked
                </Button>
              )}
            </Box>
          )}
          {why ? (
            <Box sx={{ overflowY: "auto", minHeight: 0 }}>
              <WhyTest card={card} />
            </Box>
          ) : needs.length > 0 && blocked === undefined ? (
            <Box sx={{ display: "grid", gap: 0.6 }}>
              {needs.map((n) => (
                <Box
                  key={n.id}
                  sx={{
                    display: "flex",
                    gap: 1.2,
                    alignItems: "center",
                    border: `2px solid ${v("ink")}`,
                    p: 0.8,
                    pl: 1.2,
                  }}
                >
                  <Box sx={{ flex: 1 }}>
                    <b style={{ fontSize: 16 }}>{n.ask}</b>
                    <Box sx={{ fontSize: 14.5, color: v("ink2") }}>{n.caution}</Box>
                  </Box>
                </Box>
              ))}
              <Box>
                <Button
                  variant="contained"
                  onClick={() => {
                    send(prepared(), false);
                  }}
                  disabled={append.isPending}
                  data-confirm
                >
                  {stands ? "Confirmed" : "Stands as asked, confirmed"}
                </Button>
              </Box>
            </Box>
          ) : blocked !== undefined ? (
            <Box sx={{ display: "flex", gap: 1, alignItems: "center", fontSize: 17, fontWeight: 650 }}>
              <Lock /> {blocked}
            </Box>
          ) : probe ? (
            <>
              <Ruler card={card} parsed={parsed} />
              <Box
                component="form"
                onSubmit={(e: React.FormEvent) => {
                  e.preventDefault();
                  reading("figure", false);
                }}
                sx={{
                  display: "flex",
                  gap: 1,
                  alignItems: "stretch",
                  pt: 0.2,
                  position: "sticky",
                  bottom: 0,
                  background: v("sheet"),
                  "@media (max-width: 979px)": { flexWrap: "wrap" },
                }}
              >
                <Box
                  component="label"
                  sx={{
                    width: 186,
                    "@media (max-width: 979px)": { width: 150 },
                    height: 56,
                    border: `3px solid ${v("ink")}`,
                    borderRadius: "3px",
                    background: v("paper"),
                    display: "flex",
                    alignItems: "center",
                    px: 1,
                    flex: "none",
                  }}
                >
                  <Box
                    component="input"
                    ref={field}
                    name="reading"
                    aria-label={`Reading in ${unit ?? ""}`}
                    autoComplete="off"
                    value={typed}
                    onChange={(e: React.ChangeEvent<HTMLInputElement>) => {
                      setTyped(e.target.value);
                      setError(undefined);
                      setSuggest(undefined);
                    }}
                    onKeyDown={(e: React.KeyboardEvent) => {
                      const k = e.key.toLowerCase();
                      if (e.key === "Escape") {
                        e.preventDefault();
                        if (empty && chosen) onBack();
                        else setTyped("");
                      }
                      if (!empty) return;
                      if (meter && (k === "m" || e.key === "Enter")) {
                        e.preventDefault();
                        void capture();
                      }
                      if (k === "s" || k === "*") {
                        e.preventDefault();
                        reading("not-steady", false);
                      }
                      if (k === "n" || k === "/") {
                        e.preventDefault();
                        reading("nothing", false);
                      }
                      if (k === "r" || e.key === "+") {
                        e.preventDefault();
                        reading("cannot-reach", true);
                      }
                      if (k === "u") {
                        e.preventDefault();
                        document.querySelector<HTMLButtonElement>("[data-undo]")?.click();
                      }
                    }}
                    sx={{
                      width: "100%",
                      minWidth: 0,
                      font: "inherit",
                      fontSize: typed.length > 6 ? 27 : 40,
                      fontWeight: 700,
                      border: 0,
                      background: "transparent",
                      color: v("ink"),
                      textAlign: "right",
                      "&:focus-visible": { outline: "none !important" },
                    }}
                  />
                  <Box sx={{ fontSize: 22, fontWeight: 650, ml: 0.5 }}>
                    {parsed?.ok && parsed.figure.unit !== unit ? "" : unit ? SYMBOL[unit] : ""}
                  </Box>
                </Box>
                <Button
                  type={meter && empty ? "button" : "submit"}
                  onClick={
                    meter && empty
                      ? () => {
                          void capture();
                        }
                      : undefined
                  }
                  variant={stands || (meter && empty) ? "contained" : "outlined"}
                  disabled={append.isPending || waits}
                  data-capture={meter && empty ? true : undefined}
                  sx={{
                    minWidth: 128,
                    fontSize: meter && empty ? 17.5 : 20,
                    whiteSpace: "nowrap",
                    fontWeight: 700,
                    flexDirection: "column",
                    lineHeight: 1.1,
                  }}
                  data-take
                >
                  {meter && empty
                    ? waits
                      ? "Reading …"
                      : "Read the meter"
                    : stands
                      ? "Take it"
                      : "As asked, take it"}
                  <span style={{ fontSize: 14, fontWeight: 500 }}>Enter or pedal</span>
                </Button>
                {!stands && (
                  <Button
                    type="button"
                    onClick={() => {
                      reading("figure", true);
                    }}
                    disabled={append.isPending}
                    sx={{ fontSize: 15, px: 1, lineHeight: 1.1 }}
                  >
                    Take as it stands
                  </Button>
                )}
                {(
                  [
                    ["Not steady", "S", "not-steady"],
                    ["Reads nothing", "N", "nothing"],
                    ["Can’t reach", "R", "cannot-reach"],
                  ] as const
                ).map(([name, key, result]) => (
                  <Button
                    key={key}
                    type="button"
                    disabled={append.isPending}
                    onClick={() => {
                      reading(result, result === "cannot-reach");
                    }}
                    sx={{
                      flex: 1,
                      minWidth: 60,
                      fontSize: 15,
                      px: 0.3,
                      flexDirection: "column",
                      lineHeight: 1.1,
                    }}
                  >
                    {name}
                    <span style={{ fontSize: 14, fontWeight: 500 }}>{key}</span>
                  </Button>
                ))}
              </Box>
            </>
          ) : (
            <Box
              sx={{
                display: "grid",
                gridTemplateColumns:
                  card.bands.length > 5
                    ? "repeat(4, 1fr)"
                    : card.bands.length === 2
                      ? "repeat(3, 1fr)"
                      : "1fr 1fr",
                gridAutoRows: "minmax(60px, auto)",
                gap: 0.8,
                overflowY: "auto",
                minHeight: 0,
              }}
            >
              {card.bands.map((b, k) => (
                <Choice
                  key={b.value ?? b.name}
                  name={b.name.charAt(0).toUpperCase() + b.name.slice(1)}
                  effect={b.effect}
                  hotkey={k < 9 ? String(k + 1) : undefined}
                  disabled={append.isPending}
                  onPick={() => {
                    check(b.value ?? "");
                  }}
                />
              ))}
              <Choice
                name="Cannot tell"
                effect="nothing moves"
                hotkey="0"
                disabled={append.isPending}
                onPick={() => {
                  check("cannot-tell");
                }}
              />
            </Box>
          )}
          {!probe &&
            !why &&
            needs.length === 0 &&
            blocked === undefined &&
            card.bands.length <= 3 &&
            others.length > 0 && (
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
            )}
          {!why && needs.length === 0 && blocked === undefined && (
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
          {skip !== undefined && (
            <Box
              component="form"
              onSubmit={(e: React.FormEvent) => {
                e.preventDefault();
                send([{ kind: "skip", test: card.test, reason: skip }]);
                setSkip(undefined);
              }}
              sx={{ display: "flex", gap: 1 }}
            >
              <Box
                component="input"
                autoFocus
                aria-label="Why is it passed over"
                placeholder="Why is it passed over?"
                value={skip}
                onChange={(e: React.ChangeEvent<HTMLInputElement>) => {
                  setSkip(e.target.value);
                }}
                sx={{
                  flex: 1,
                  font: "inherit",
                  fontSize: 16,
                  height: 44,
                  border: `1.5px solid ${v("ink")}`,
                  borderRadius: "3px",
                  px: 1,
                  background: v("sheet"),
                  color: v("ink"),
                }}
              />
              <Button type="submit" disabled={skip.trim() === ""} sx={{ minHeight: 44 }}>
                Pass over
              </Button>
              <Button
                type="button"
                onClick={() => {
                  setSkip(undefined);
                }}
                sx={{ minHeight: 44 }}
              >
                Keep it
              </Button>
            </Box>
          )}
        </Box>
      </Box>
    </KeyedCard>
  );
};

/** A word to press beside the title of the card. */
const TextButton = ({ ml, ...rest }: { ml: number | "auto" } & React.ComponentProps<"button">) => (
  <Box
    component="button"
    type="button"
    {...rest}
    sx={{
      font: "inherit",
      fontSize: 15,
      background: "none",
      border: 0,
      p: 0,
      ml,
      color: v("ink"),
      textDecoration: "underline",
      cursor: "pointer",
      whiteSpace: "nowrap",
    }}
  />
);

const Chip = ({ ok, text }: { ok: boolean; text: string }) => (
  <Box
    sx={{
      minHeight: 36,
      display: "flex",
      alignItems: "center",
      gap: 0.8,
      px: 1.2,
      border: `${ok ? "1.5px" : "3px"} solid ${ok ? v("ruleStrong") : v("copperFill")}`,
      background: ok ? "transparent" : v("copperTint"),
      borderRadius: "3px",
      fontSize: 16,
      fontWeight: ok ? 550 : 700,
    }}
  >
    {text} {ok && <Tick size={16} />}
  </Box>
);

const Token = ({ color, word, pin }: { color: "red" | "black"; word: string; pin: string }) => (
  <Box sx={{ display: "flex", alignItems: "center", gap: 0.8, flex: "none" }}>
    <Box
      sx={{
        background: color === "red" ? v("probeRed") : v("probeBlack"),
        color: "#fff",
        fontSize: 15,
        fontWeight: 700,
        height: 42,
        display: "grid",
        placeItems: "center",
        pl: 2.4,
        pr: 1.2,
        clipPath: "polygon(16px 0, 100% 0, 100% 100%, 16px 100%, 0 50%)",
      }}
    >
      {word}
    </Box>
    <Box sx={{ fontSize: pin.length <= 2 ? 48 : 19, fontWeight: 750, lineHeight: 1, maxWidth: 92 }}>
      {pin}
    </Box>
  </Box>
);

const Places = ({ red, black }: { red: string; black: string }) => (
  <Box
    sx={{
      border: `2.2px solid ${v("ink")}`,
      background: v("paper"),
      height: "100%",
      display: "grid",
      placeItems: "center",
      p: 2,
      textAlign: "center",
    }}
  >
    <svg
      width="170"
      height="150"
      viewBox="0 0 170 150"
      role="img"
      aria-label={`Red on ${red}, black on ${black}`}
    >
      <path d="M20 75h130" stroke={v("ink")} strokeWidth="4" />
      <circle cx="40" cy="75" r="12" fill={v("sheet")} stroke={v("ink")} strokeWidth="3" />
      <circle cx="130" cy="75" r="12" fill={v("sheet")} stroke={v("ink")} strokeWidth="3" />
      <path d="M40 75L20 130" stroke={v("probeRed")} strokeWidth="7" />
      <path d="M130 75l20 55" stroke={v("probeBlack")} strokeWidth="7" />
      <text x="40" y="50" textAnchor="middle" fontSize="16" fontWeight="700">
        {red}
      </text>
      <text x="130" y="50" textAnchor="middle" fontSize="16" fontWeight="700">
        {black}
      </text>
    </svg>
  </Box>
);
