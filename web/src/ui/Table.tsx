import Box from "@mui/material/Box";
import type { ReactNode } from "react";
import { v } from "../theme/tokens";

/** Every table of the program but the printed report: lines between rows, small heads, cells of class `n` hold numbers. */
export const Table = ({
  children,
  sx = {},
  ...data
}: {
  children: ReactNode;
  sx?: object;
} & Record<`data-${string}`, string | boolean | undefined>) => (
  <Box
    component="table"
    {...data}
    sx={{
      borderCollapse: "collapse",
      width: "100%",
      fontSize: 16,
      "& caption": { textAlign: "left", fontSize: 17, fontWeight: 700, pb: 0.4 },
      "& td, & th": {
        borderBottom: `1px solid ${v("ruleStrong")}`,
        py: 0.5,
        pl: 0,
        pr: 1.5,
        textAlign: "left",
      },
      "& td:last-of-type, & th:last-of-type": { pr: 0 },
      "& th": { fontSize: 14, fontWeight: 600, color: v("ink2"), verticalAlign: "bottom" },
      "& .n": { textAlign: "right", fontVariantNumeric: "tabular-nums", whiteSpace: "nowrap" },
      ...sx,
    }}
  >
    {children}
  </Box>
);
