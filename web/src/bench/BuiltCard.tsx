import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import type { ReactNode } from "react";
import type { BuiltView, Schemas } from "../api/client";
import type { useAppend } from "../api/hooks";
import { Drawing } from "../has/Drawing";
import { v } from "../theme/tokens";
import { useCommands } from "../ui/commands";
import { command } from "../ui/keys";
import { ErrorLine, Key, KeyedCard, Tick, Triangle } from "../ui/parts";
import { Table } from "../ui/Table";
import { Changeover } from "./Changeover";
import { LineCircuit } from "./LineCircuit";

const cell = { py: 0.2, px: 0.6, textAlign: "left", fontSize: 15.5 } as const;

/**
 * The readings fit another way to build the vehicle better than any fault: as it is drawn stands beside as it seems, with
 * what each would read beside what was read. One press corrects this vehicle and weighs every reading anew.
 */
export const BuiltCard = ({
  built,
  append,
  more,
}: {
  built: BuiltView;
  append: ReturnType<typeof useAppend>;
  more: ReactNode;
}) => {
  const is = (changes: BuiltView["changes"]) => {
    if (append.isPending) return;
    append.mutate(changes.map((change) => ({ kind: "change", change, source: "seen" })));
  };
  const so = () => {
    is(built.changes);
  };
  // whoever looked at it has seen that it is none of the others either; what was asked comes last, and back first when undone
  const drawn = () => {
    if (append.isPending) return;
    const keys = [...built.others, built].map((way) => way.key);
    append.mutate(
      keys.map((key) => ({ kind: "by-hand", class: key, out: true, reason: "Looked at: it is as drawn." })),
    );
  };
  // what no reading speaks for is not accepted by a key that the hand presses by habit
  useCommands([command("built.so", built.likely ? so : undefined), command("built.drawn", drawn)]);
  return (
    <KeyedCard label="Built otherwise" sx={{ flex: 1, minWidth: 0 }}>
      <Box
        sx={{
          height: "100%",
          p: 1.4,
          px: 2,
          display: "flex",
          flexDirection: "column",
          gap: 0.8,
        }}
        data-built={built.key}
      >
        {/* what it rests on may roll; the two presses stay in sight */}
        <Box
          sx={{
            flex: 1,
            minHeight: 0,
            overflowY: "auto",
            display: "flex",
            flexDirection: "column",
            gap: 0.8,
          }}
        >
          <Box sx={{ fontSize: 16, display: "flex", gap: 1, alignItems: "center" }}>
            <Changeover />
            <span>
              {built.likely ? (
                <>
                  <b>Built otherwise, {built.percent} %</b> That is no fault: put the drawing right first, and
                  every reading is weighed anew.
                </>
              ) : (
                <>
                  <b>Which one is it?</b> It may be built otherwise, at {built.percent} %, and what is done
                  next hangs on that: look first.
                </>
              )}
            </span>
          </Box>
          <Box sx={{ fontSize: 16 }} data-look>
            <b>Look:</b> {built.how}.
          </Box>
          <Table sx={{ width: "100%" }}>
            <Box component="thead" sx={{ "& th": { ...cell, fontWeight: 400, verticalAlign: "bottom" } }}>
              <tr>
                <th>{built.lines.length > 0 && <b>Read</b>}</th>
                <th colSpan={2}>
                  <Thing title="As drawn" name={built.drawn?.name} drawing={built.drawn?.drawing} />
                </th>
                <th colSpan={2}>
                  <Thing
                    title={built.likely ? "As it seems" : "Or"}
                    name={built.seems?.name ?? built.name}
                    drawing={built.seems?.drawing}
                  />
                </th>
              </tr>
            </Box>
            <Box component="tbody" sx={{ "& td": { ...cell, borderTop: `1px solid ${v("ruleStrong")}` } }}>
              {built.lines.map((l, k) => (
                <tr key={k}>
                  <td>
                    <span style={{ color: v("ink2"), fontSize: 14 }}>{l.name}</span>
                    <br />
                    <b>{l.reads}</b>
                  </td>
                  <Side line={l.drawn_line} should={l.drawn} fits={l.as_drawn} />
                  <Side line={l.seems_line} should={l.seems} fits={l.as_seems} />
                </tr>
              ))}
            </Box>
          </Table>
          {built.others.length > 0 && (
            <Box sx={{ display: "flex", gap: 0.8, alignItems: "center", flexWrap: "wrap", fontSize: 16 }}>
              <span>Neither: it is</span>
              {built.others.map((other) => (
                <Button
                  key={other.key}
                  onClick={() => {
                    is(other.changes);
                  }}
                  disabled={append.isPending}
                  sx={{ minHeight: 44, fontSize: 15.5 }}
                  data-built-other={other.key}
                >
                  {other.name}
                </Button>
              ))}
            </Box>
          )}
        </Box>
        {append.error && <ErrorLine>{append.error.message}</ErrorLine>}
        <Box
          sx={{
            display: "flex",
            gap: 1,
            alignItems: "center",
            flex: "none",
            // what is asked instead may be long: it gives way to the two
            "& > :not(:nth-of-type(-n + 2))": { minWidth: 0, overflow: "hidden", textOverflow: "ellipsis" },
            "& > button": { whiteSpace: "nowrap", flexShrink: 0 },
            "& > button:nth-of-type(n + 3)": { flexShrink: 1, display: "block" },
          }}
        >
          <Button
            variant={built.likely ? "contained" : "outlined"}
            onClick={so}
            disabled={append.isPending}
            sx={{ gap: 1 }}
            data-built-so
          >
            It is built so {built.likely && <Key>Enter</Key>}
          </Button>
          <Button onClick={drawn} disabled={append.isPending} sx={{ gap: 1 }} data-as-drawn>
            No, keep as drawn <Key>K</Key>
          </Button>
          {more}
        </Box>
      </Box>
    </KeyedCard>
  );
};

/** The thing on one side. */
const Thing = ({
  title,
  name,
  drawing,
}: {
  title: string;
  name: string | undefined;
  drawing: string | undefined;
}) => (
  <Box sx={{ display: "flex", gap: 1, alignItems: "center" }}>
    {drawing !== undefined && <Drawing shape={drawing} assumed={false} width={48} />}
    <span>
      <b style={{ fontSize: 16 }}>{title}</b>
      {name !== undefined && <span style={{ fontSize: 14.5, color: v("ink2"), marginLeft: 8 }}>{name}</span>}
    </span>
  </Box>
);

/** A reading on one side: its line as a small circuit, what it should be, and whether what was read is that. */
const Side = ({ line, should, fits }: { line: Schemas["LineView"]; should: string; fits: boolean }) => (
  <>
    <td>
      <LineCircuit line={line} />
    </td>
    <Box component="td" sx={{ textAlign: "right !important", whiteSpace: "nowrap" }}>
      {should} {fits ? <Tick size={13} /> : <Triangle size={13} />}
    </Box>
  </>
);
