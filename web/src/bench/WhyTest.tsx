import Box from "@mui/material/Box";
import type { Card } from "../api/client";
import { v } from "../theme/tokens";
import { Table } from "../ui/Table";

/** What each outcome of a test would make of the suspects, before it is taken. */
export const WhyTest = ({ card }: { card: Card }) => {
  const why = card.explained;
  if (why.suspects.length === 0) return null;
  return (
    <Box data-why-test>
      <Box sx={{ fontSize: 15, color: v("ink2"), mb: 0.4 }}>{why.words}</Box>
      <Table
        sx={{
          fontSize: 15.5,
          "& td, & th": { textAlign: "right", py: 0.25 },
          "& td:first-of-type, & th:first-of-type": { textAlign: "left" },
        }}
      >
        <thead>
          <tr>
            <th>Suspects</th>
            <th>now</th>
            {card.bands.map((b, k) => (
              <th key={b.value ?? `${b.name}${String(k)}`}>
                {b.name} <span style={{ fontWeight: 400, whiteSpace: "nowrap" }}>({why.chances[k]} %)</span>
              </th>
            ))}
          </tr>
        </thead>
        <tbody>
          {why.suspects.map((s) => (
            <tr key={s.name}>
              <td>{s.name}</td>
              <td>{s.now} %</td>
              {s.after.map((p, k) => (
                <td key={k} style={{ fontWeight: p > s.now ? 750 : 400 }}>
                  {p} %
                </td>
              ))}
            </tr>
          ))}
        </tbody>
      </Table>
    </Box>
  );
};
