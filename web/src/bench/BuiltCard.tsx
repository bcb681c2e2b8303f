import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import type { ReactNode } from "react";
import type { BuiltView } from "../api/client";
import type { useAppend } from "../api/hooks";
import { v } from "../theme/tokens";
import { useCommands } from "../ui/commands";
import { command } from "../ui/keys";
import { ErrorLine, Key, KeyedCard } from "../ui/parts";
import { Table } from "../ui/Table";

const cell = { py: 0.2, px: 1, textAlign: "right", whiteSpace: "nowrap", fontSize: 16 } as const;

/**
 * The readings fit another way to build the vehicle better than any fault: what the drawing says and what it would read
 * then stand beside what was read. One press corrects this vehicle and weighs every reading anew.
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
    append.mutate([
      { kind: "change", change: { what: "built", variant: built.variant }, source: "measured" },
    ]);
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
          overflowY: "auto",
        }}
        data-built={built.variant}
      >
        <Box sx={{ fontSize: 16 }}>
          <b style={{ color: v("copper") }}>Built otherwise, {built.percent} %</b> Put the drawing right
          first: every reading is then weighed anew.
        </Box>
        <Box component="h1" sx={{ m: 0, fontSize: 24, fontWeight: 750, lineHeight: 1.15 }}>
          {built.name}?
        </Box>
        {built.lines.length > 0 && (
          <Table sx={{ width: "auto", alignSelf: "start", maxWidth: "100%" }}>
            <Box
              component="thead"
              sx={{ "& th": { ...cell, fontSize: 15, fontWeight: 600, color: v("ink2") } }}
            >
              <tr>
                <Box component="th" sx={{ textAlign: "left !important" }}>
                  Reading
                </Box>
                <th>as drawn</th>
                <th>built so</th>
                <th>read</th>
              </tr>
            </Box>
            <Box component="tbody" sx={{ "& td": { ...cell, borderTop: `1px solid ${v("ruleStrong")}` } }}>
              {built.lines.map((l, k) => (
                <tr key={k}>
                  <Box component="td" sx={{ textAlign: "left !important", whiteSpace: "normal !important" }}>
                    {l.name}
                  </Box>
                  <td>{l.drawn}</td>
                  <td>{l.seems}</td>
                  <td>
                    <b>{l.reads}</b>
                  </td>
                </tr>
              ))}
            </Box>
          </Table>
        )}
        <Box sx={{ fontSize: 16 }}>
          <b>Make sure:</b> {built.how}.
        </Box>
        {append.error && <ErrorLine>{append.error.message}</ErrorLine>}
        <Box sx={{ display: "flex", gap: 1, flexWrap: "wrap", alignItems: "center", mt: "auto" }}>
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
