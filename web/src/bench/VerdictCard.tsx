import Box from "@mui/material/Box";
import type { ReactNode } from "react";
import type { Modelled } from "../api/client";
import { v } from "../theme/tokens";
import { minutes, money } from "../ui/format";
import { KeyedCard } from "../ui/parts";
import { Table } from "../ui/Table";

type Verdict = Modelled["bench"]["verdict"];

/** Repairs in the order of chance to cost: what to try first when nothing more can part them. */
const Order = ({ verdict }: { verdict: Verdict }) =>
  verdict.order.length < 2 ? null : (
    <Table sx={{ width: "auto" }} data-order>
      <caption style={{ textAlign: "left", fontSize: 14, color: v("ink2"), paddingBottom: 4 }}>
        Order to try, by chance and cost
      </caption>
      <tbody>
        {verdict.order.map((t) => (
          <Box
            component="tr"
            key={t.name}
            sx={{ "& td": { py: 0.4, pr: 3, borderTop: `1px solid ${v("ruleStrong")}` } }}
          >
            <td>{t.name}</td>
            <td style={{ textAlign: "right", fontWeight: 700 }}>{t.percent} %</td>
            <td style={{ textAlign: "right" }}>{minutes(t.minutes)} min</td>
            <td style={{ textAlign: "right" }}>{t.part_cents > 0 ? money(t.part_cents) : "no part"}</td>
          </Box>
        ))}
      </tbody>
    </Table>
  );

/** Where measuring has come to: what is said and the order to try scroll within the card, its presses stay in reach. */
export const VerdictCard = ({
  label,
  mark,
  above,
  heading,
  children,
  verdict,
  actions,
}: {
  label: string;
  mark: Record<`data-${string}`, string>;
  above?: ReactNode;
  heading: string;
  children: ReactNode;
  verdict: Verdict;
  actions: ReactNode;
}) => (
  <KeyedCard label={label} sx={{ flex: 1 }}>
    <Box sx={{ height: "100%", p: 1.8, px: 2.2, display: "flex", flexDirection: "column", gap: 1 }} {...mark}>
      {above}
      <Box component="h1" sx={{ m: 0, fontSize: 28, fontWeight: 750, lineHeight: 1.15 }}>
        {heading}
      </Box>
      <Box tabIndex={0} sx={{ flex: 1, minHeight: 0, overflowY: "auto", containerType: "inline-size" }}>
        <Box
          sx={{
            display: "grid",
            gap: 1.5,
            alignItems: "start",
            // beside each other where there is room: a low window shows the whole order
            "@container (min-width: 700px)": { gridTemplateColumns: "minmax(0, 1fr) auto", columnGap: 3 },
          }}
        >
          <Box sx={{ display: "grid", gap: 1 }}>{children}</Box>
          <Order verdict={verdict} />
        </Box>
      </Box>
      <Box sx={{ display: "flex", flexWrap: "wrap", gap: 1 }}>{actions}</Box>
    </Box>
  </KeyedCard>
);
