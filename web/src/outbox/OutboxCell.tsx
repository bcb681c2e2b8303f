import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import { useState, useSyncExternalStore } from "react";
import { v } from "../theme/tokens";
import { clock } from "../ui/format";
import { Tick, Triangle } from "../ui/parts";
import { forget, isMine, outbox } from "./outbox";

export const useOutbox = () => useSyncExternalStore(outbox.subscribe, outbox.get);

/** One cell that says what waits on this device; nothing while nothing does. */
export const OutboxCell = () => {
  const { waiting, sentAt } = useOutbox();
  const [open, setOpen] = useState(false);
  if (waiting.length === 0)
    return sentAt === undefined ? null : (
      <Box sx={cell} role="status" data-outbox="sent">
        <Tick size={18} /> All sent {clock(sentAt)}
      </Box>
    );
  const refused = waiting.filter((w) => w.refused !== undefined);
  const count = waiting.length - refused.length;
  return (
    <Box sx={{ position: "relative", display: "flex" }}>
      <Box
        component="button"
        type="button"
        aria-expanded={open}
        onClick={() => {
          setOpen(!open);
        }}
        data-outbox={count}
        data-refused={refused.length}
        sx={{ ...cell, font: "inherit", border: 0, background: "transparent", cursor: "pointer" }}
      >
        {refused.length > 0 && <Triangle size={18} />}
        <span role="status">
          {count > 0 ? `On this device, ${String(count)} to send` : ""}
          {count > 0 && refused.length > 0 ? ", " : ""}
          {refused.length > 0 ? `${String(refused.length)} not accepted` : ""}
        </span>
      </Box>
      {open && (
        <Box
          sx={{
            position: "absolute",
            right: 0,
            top: "100%",
            zIndex: 6,
            width: 420,
            maxWidth: "90vw",
            background: v("sheet"),
            border: `2px solid ${v("ink")}`,
            p: 2,
            display: "grid",
            gap: 1,
            fontSize: 16,
          }}
        >
          <span>
            Kept on this device, also over a reload of the page. It is sent by itself when the server answers.
            Starting the page needs the server.
          </span>
          {waiting.map((w) => (
            <Box key={w.key} sx={{ borderTop: `1px solid ${v("ruleStrong")}`, pt: 0.8 }}>
              <b>{w.words}</b>
              {!isMine(w) && (
                <span>
                  , by {w.name}: sent when {w.name} is signed in
                </span>
              )}
              {w.refused !== undefined && (
                <Box sx={{ display: "flex", gap: 1, alignItems: "center", justifyContent: "space-between" }}>
                  <span>Not accepted: {w.refused}</span>
                  <Button
                    onClick={() => void forget(w.key)}
                    sx={{ minHeight: 44, fontSize: 15, flex: "none" }}
                  >
                    Read it, remove it
                  </Button>
                </Box>
              )}
            </Box>
          ))}
        </Box>
      )}
    </Box>
  );
};

const cell = {
  px: 1.6,
  display: "flex",
  gap: 0.8,
  alignItems: "center",
  fontSize: 16,
  fontWeight: 600,
  color: v("ink2"),
  whiteSpace: "nowrap",
} as const;
