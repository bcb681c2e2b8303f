import Box from "@mui/material/Box";
import type { ProofRow } from "../api/client";
import { v } from "../theme/tokens";
import { limitWords } from "../ui/format";

/** The limit of a check as a small ruler, with its figure where it falls. */
export const LimitRuler = ({
  row,
  figure,
  wide = false,
}: {
  row: ProofRow;
  figure: number | undefined;
  wide?: boolean;
}) => {
  if (row.unit == null || (row.low == null && row.high == null))
    return wide ? null : (
      <Box sx={{ fontSize: 15, color: v("ink2"), lineHeight: 1.2 }}>
        {limitWords(row.limit, row.limit_imperial)}
      </Box>
    );
  const low = row.low ?? Math.min(0, row.high ?? 0);
  const high = row.high ?? low + Math.max(1, Math.abs(low)) * 2;
  const room = Math.max(high - low, 1e-9);
  const from = row.low == null ? low : low - room * 0.5;
  const to = row.high == null ? high : high + room * 0.6;
  const at = (x: number) => `${String(Math.min(99, Math.max(1, ((x - from) / (to - from)) * 100)))}%`;
  const x = figure ?? NaN;
  return (
    <Box>
      <Box component="svg" width="100%" height={wide ? 26 : 18} aria-hidden="true" sx={{ display: "block" }}>
        <rect
          x="0.5"
          y="2"
          height={wide ? 20 : 13}
          fill={v("sheet")}
          stroke={v("ruleStrong")}
          style={{ width: "calc(100% - 2px)" }}
        />
        <rect
          x={at(low)}
          y="2"
          width={`${String(((Math.min(high, to) - Math.max(low, from)) / (to - from)) * 100)}%`}
          height={wide ? 20 : 13}
          fill={v("verdigrisTint")}
          stroke={v("verdigrisFill")}
          strokeWidth="2"
        />
        {Number.isFinite(x) && <rect x={at(x)} y="0" width="4" height={wide ? 24 : 17} fill={v("ink")} />}
      </Box>
      {!wide && (
        <Box sx={{ fontSize: 14, color: v("ink2"), lineHeight: 1.15 }}>
          {limitWords(row.limit, row.limit_imperial)}
        </Box>
      )}
    </Box>
  );
};
