import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import { useState } from "react";
import type { Bench, Suspect } from "../api/client";
import { v } from "../theme/tokens";
import { signed } from "../ui/format";
import { hatch, level } from "../ui/hatch";
import { Changeover } from "./Changeover";
import { Disc, Heading } from "../ui/parts";
import { Plain } from "../ui/form";

interface Props {
  bench: Bench;
  most?: number;
  /** Rule out (true), in (false), or leave to the readings (null). */
  onByHand?: (suspect: Suspect, out: boolean | null, reason: string) => void;
  onMend?: (suspect: Suspect) => void;
}

/** Ranked suspects with their reasons. */
export const Suspects = ({ bench, most = 12, onByHand, onMend }: Props) => {
  const [open, setOpen] = useState<string>();
  const outside = bench.outside_percent > 20;
  const leads = bench.built?.leads === true;
  const last = (
    <Box sx={{ py: 0.7, fontSize: 16, borderTop: outside ? undefined : `1px solid ${v("ruleStrong")}` }}>
      {bench.built && !leads && (
        <Box
          data-built-percent={bench.built.percent}
          sx={{ display: "flex", gap: 0.8, alignItems: "center" }}
        >
          <Changeover size={20} />
          <span>
            <b>{bench.built.percent} %</b> built otherwise: {bench.built.name}
          </span>
        </Box>
      )}
      <b>{bench.nothing_percent} %</b> nothing wrong
      <br />
      <b>{bench.outside_percent} %</b> something not on this drawing
      {outside && <Box sx={{ fontWeight: 700 }}>Check the drawing against the vehicle.</Box>}
    </Box>
  );
  const evidence = bench.evidence.filter((t) => !t.voided).length;
  return (
    <Box
      component="section"
      aria-label="Suspects"
      sx={{ display: "flex", flexDirection: "column", height: "100%", minHeight: 0 }}
    >
      <Heading note={evidence > 0 ? `change at reading ${String(evidence)}` : "before any reading"}>
        Suspects
      </Heading>
      <Box
        sx={{
          borderTop: `2px solid ${v("ink")}`,
          mt: 0.6,
          overflowY: "auto",
          flex: 1,
          minHeight: 0,
          pr: 0.8,
        }}
      >
        {bench.built && leads && (
          <>
            <Box
              data-built-percent={bench.built.percent}
              sx={{
                display: "flex",
                gap: 1.2,
                alignItems: "center",
                py: 0.8,
                background: v("sheet"),
                borderBottom: `4px double ${v("ink")}`,
              }}
            >
              <Changeover />
              <b style={{ fontSize: 26 }}>
                {bench.built.percent} <small style={{ fontSize: 15 }}>%</small>
              </b>
              <span>
                <b style={{ fontSize: 17 }}>Built otherwise</b>
                <Box sx={{ fontSize: 15, color: v("ink2"), lineHeight: 1.15 }}>{bench.built.name}</Box>
              </span>
            </Box>
            <Box sx={{ fontSize: 15, color: v("ink2"), py: 0.6 }}>If it is as drawn</Box>
          </>
        )}
        {outside && last}
        {bench.suspects.slice(0, most).map((s) => (
          <Box
            key={s.class}
            sx={{ borderBottom: `1px solid ${v("ruleStrong")}` }}
            data-suspect={s.class}
            data-percent={s.percent}
          >
            <Box
              component="button"
              type="button"
              aria-expanded={open === s.class}
              onClick={() => {
                setOpen(open === s.class ? undefined : s.class);
              }}
              sx={{
                font: "inherit",
                color: v("ink"),
                width: "100%",
                minHeight: 52,
                display: "flex",
                alignItems: "center",
                gap: 1,
                textAlign: "left",
                background: "transparent",
                border: 0,
                p: 0,
                cursor: "pointer",
              }}
            >
              <Disc size={28}>{s.rank}</Disc>
              <Box
                sx={{ width: 72, textAlign: "right", fontSize: 28, fontWeight: 700, whiteSpace: "nowrap" }}
              >
                {s.percent}
                <span style={{ fontSize: 15 }}> %</span>
              </Box>
              <Box
                component="svg"
                width="22"
                height="37"
                aria-hidden="true"
                sx={{ flex: "none", "@media (max-width: 1100px)": { display: "none" } }}
              >
                <rect
                  x="0.75"
                  y="0.75"
                  width="20.5"
                  height="35.5"
                  fill="none"
                  stroke={v("rule")}
                  strokeWidth="1.5"
                />
                {level(s.share) > 0 && (
                  <rect
                    x="0.75"
                    y={36.2 - Math.min(1, s.share / 0.5) * 35}
                    width="20.5"
                    height={Math.min(1, s.share / 0.5) * 35}
                    fill={hatch(s.share)}
                    stroke={v("copperFill")}
                    strokeWidth="1.2"
                  />
                )}
              </Box>
              <Box sx={{ flex: 1, minWidth: 0 }}>
                <Box
                  sx={{
                    fontSize: 17,
                    fontWeight: 650,
                    lineHeight: 1.15,
                    overflow: "hidden",
                    textOverflow: "ellipsis",
                    whiteSpace: "nowrap",
                    textDecoration: s.by_hand === true ? "line-through" : "none",
                  }}
                >
                  {s.name}
                </Box>
                <Box
                  sx={{
                    fontSize: 14,
                    color: v("ink2"),
                    overflow: "hidden",
                    textOverflow: "ellipsis",
                    whiteSpace: "nowrap",
                    "@media (max-width: 1100px)": { display: "none" },
                  }}
                >
                  {s.reason}
                </Box>
              </Box>
              <Box sx={{ fontSize: 15, width: 36, textAlign: "right", flex: "none" }}>{signed(s.change)}</Box>
            </Box>
            {open === s.class && <Detail suspect={s} onByHand={onByHand} onMend={onMend} />}
          </Box>
        ))}
        {!outside && last}
      </Box>
    </Box>
  );
};

const Detail = ({
  suspect: s,
  onByHand,
  onMend,
}: {
  suspect: Suspect;
  onByHand: Props["onByHand"];
  onMend: Props["onMend"];
}) => {
  const [reason, setReason] = useState("");
  return (
    <Box sx={{ pl: 4.5, pb: 1.2, fontSize: 15 }}>
      <Box sx={{ mb: 0.5 }}>
        <b>{s.act}</b>, about {Math.round(s.minutes)} min, part {s.band === "0" ? "none" : `band ${s.band}`}
      </Box>
      {s.faults.map(({ name, share }) => (
        <Box key={name} sx={{ display: "flex", justifyContent: "space-between" }}>
          <span>{name}</span>
          <span>{Math.round(share * 100)} % of it</span>
        </Box>
      ))}
      {s.reasons.length > 0 && (
        <Box sx={{ mt: 0.6, borderTop: `1px solid ${v("rule")}`, pt: 0.4 }}>
          {s.reasons.map(({ text, weight }) => (
            <Box key={text} sx={{ display: "flex", justifyContent: "space-between", gap: 1 }}>
              <span>{text}</span>
              <span style={{ whiteSpace: "nowrap" }}>
                {weight > 0 ? "for it" : "against"}{" "}
                {Math.abs(weight) > 2 ? "strongly" : Math.abs(weight) > 0.7 ? "" : "a little"}
              </span>
            </Box>
          ))}
        </Box>
      )}
      {onByHand && (
        <Box
          component="form"
          onSubmit={(e: React.FormEvent) => {
            e.preventDefault();
          }}
          sx={{ mt: 1, display: "grid", gap: 0.8 }}
        >
          <Plain label="Why" hint="Why, in a few words" value={reason} onChange={setReason} />
          <Box sx={{ display: "flex", gap: 0.8, flexWrap: "wrap" }}>
            {s.by_hand == null ? (
              <>
                <Button
                  type="button"
                  sx={{ fontSize: 15, minHeight: 44 }}
                  disabled={reason.trim() === ""}
                  onClick={() => {
                    onByHand(s, true, reason);
                  }}
                >
                  Rule out
                </Button>
                <Button
                  type="button"
                  sx={{ fontSize: 15, minHeight: 44 }}
                  disabled={reason.trim() === ""}
                  onClick={() => {
                    onByHand(s, false, reason);
                  }}
                >
                  Rule in
                </Button>
              </>
            ) : (
              <Button
                type="button"
                sx={{ fontSize: 15, minHeight: 44 }}
                disabled={reason.trim() === ""}
                onClick={() => {
                  onByHand(s, null, reason);
                }}
              >
                Leave it to the readings
              </Button>
            )}
            {onMend && (
              <Button
                type="button"
                sx={{ fontSize: 15, minHeight: 44 }}
                onClick={() => {
                  onMend(s);
                }}
              >
                Repair this
              </Button>
            )}
          </Box>
        </Box>
      )}
    </Box>
  );
};
