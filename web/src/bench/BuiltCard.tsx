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

const cell = { py: 0.2, px: 0.6, textAlign: "right", whiteSpace: "nowrap", fontSize: 15.5 } as const;

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
  const so = () => {
    if (append.isPending) return;
    append.mutate(built.changes.map((change) => ({ kind: "change", change, source: "seen" })));
  };
  const drawn = () => {
    if (append.isPending) return;
    append.mutate([{ kind: "by-hand", class: built.key, out: true, reason: "Looked at: it is as drawn." }]);
  };
  useCommands([command("built.so", so), command("built.drawn", drawn)]);
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
              <b>Built otherwise, {built.percent} %</b> That is no fault: put the drawing right first, and
              every reading is weighed anew.
            </span>
          </Box>
          <Box sx={{ fontSize: 16 }} data-look>
            <b>The look that tells:</b> {built.how}.
          </Box>
          <Box
            sx={{
              display: "grid",
              gridTemplateColumns: "1fr 1fr",
              columnGap: 2,
              "& > :nth-of-type(2)": { borderLeft: `1.5px solid ${v("ink")}`, pl: 2 },
            }}
          >
            <Side
              title="As drawn"
              name={built.drawn?.name ?? "as the drawing has it"}
              drawing={built.drawn?.drawing}
              lines={built.lines.map((l) => ({
                name: l.name,
                line: l.drawn_line,
                should: l.drawn,
                reads: l.reads,
                fits: l.as_drawn,
              }))}
            />
            <Side
              title="As it seems"
              name={built.seems?.name ?? built.name}
              drawing={built.seems?.drawing}
              lines={built.lines.map((l) => ({
                name: l.name,
                line: l.seems_line,
                should: l.seems,
                reads: l.reads,
                fits: l.as_seems,
              }))}
            />
          </Box>
        </Box>
        {append.error && <ErrorLine>{append.error.message}</ErrorLine>}
        <Box sx={{ display: "flex", gap: 1, flexWrap: "wrap", alignItems: "center", flex: "none" }}>
          <Button variant="contained" onClick={so} disabled={append.isPending} sx={{ gap: 1 }} data-built-so>
            It is built so <Key>Enter</Key>
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

interface Line {
  name: string;
  line: Schemas["LineView"];
  should: string;
  reads: string;
  fits: boolean;
}

/** One of the two: the thing, and what should be read beside what was. */
const Side = ({
  title,
  name,
  drawing,
  lines,
}: {
  title: string;
  name: string;
  drawing: string | undefined;
  lines: Line[];
}) => (
  <Box sx={{ minWidth: 0 }}>
    <Box sx={{ display: "flex", gap: 1, alignItems: "center", minHeight: 40 }}>
      {drawing !== undefined && <Drawing shape={drawing} assumed={false} width={56} />}
      <span>
        <b style={{ fontSize: 17 }}>{title}</b>
        <Box sx={{ fontSize: 15, color: v("ink2"), lineHeight: 1.15 }}>{name}</Box>
      </span>
    </Box>
    {lines.length > 0 && (
      <Table sx={{ width: "100%" }}>
        <Box component="thead" sx={{ "& th": { ...cell, fontSize: 14, fontWeight: 600, color: v("ink2") } }}>
          <tr>
            <Box component="th" sx={{ textAlign: "left !important" }}>
              Reading
            </Box>
            <th>should</th>
            <th>reads</th>
          </tr>
        </Box>
        <Box component="tbody" sx={{ "& td": { ...cell, borderTop: `1px solid ${v("ruleStrong")}` } }}>
          {lines.map((l, k) => (
            <tr key={k}>
              <Box component="td" sx={{ textAlign: "left !important", whiteSpace: "normal !important" }}>
                {l.name}
                <LineCircuit line={l.line} />
              </Box>
              <td>{l.should}</td>
              <td>
                <b>{l.reads}</b> {l.fits ? <Tick size={13} /> : <Triangle size={13} />}
              </td>
            </tr>
          ))}
        </Box>
      </Table>
    )}
  </Box>
);
