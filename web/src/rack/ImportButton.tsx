import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import { useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { useNavigate } from "react-router";
import { sendFile } from "../api/client";
import { v } from "../theme/tokens";
import { FileButton } from "../ui/FileButton";
import { number4 } from "../ui/format";
import { ErrorLine, Tick } from "../ui/parts";

interface CameIn {
  id: string;
  number: number;
  entries: number;
  photos: number;
  clash_with?: string | null;
}

/** Bring a job in from a file. Its bytes go as they are: the server reads and checks them. */
export const ImportButton = () => {
  const client = useQueryClient();
  const go = useNavigate();
  const [busy, setBusy] = useState(false);
  const [error, setError] = useState<string>();
  const [done, setDone] = useState<CameIn>();
  const bring = async (file: File) => {
    setBusy(true);
    setError(undefined);
    setDone(undefined);
    try {
      setDone(await sendFile<CameIn>("/import", "application/json", file));
      await client.invalidateQueries({ queryKey: ["rack"] });
    } catch (x) {
      setError(x instanceof Error ? x.message : String(x));
    } finally {
      setBusy(false);
    }
  };
  return (
    <Box sx={{ position: "relative" }}>
      <FileButton
        label="A job as JSON"
        name="bundle"
        accept="application/json,.json"
        disabled={busy}
        mark="data-import"
        sx={{ height: 46, minHeight: 46, px: 1.2 }}
        onFile={(f) => void bring(f)}
      >
        {busy ? "Reading it" : "Import"}
      </FileButton>
      {(error !== undefined || done !== undefined) && (
        <Box
          sx={{
            position: "absolute",
            right: 0,
            top: "calc(100% + 6px)",
            zIndex: 7,
            width: 380,
            background: v("sheet"),
            border: `2px solid ${v("ink")}`,
            p: 1.6,
            display: "grid",
            gap: 1,
            fontSize: 16,
          }}
          data-imported={done?.number}
        >
          {error !== undefined && <ErrorLine>{error}</ErrorLine>}
          {done && (
            <>
              <Box sx={{ display: "flex", gap: 0.8 }}>
                <Tick />
                <span>
                  Job <b>{number4(done.number)}</b> imported with {done.entries} entries and {done.photos}{" "}
                  photos.
                  {done.clash_with != null
                    ? " The job was known here: this is another one beside it."
                    : ""}{" "}
                  What its gate released there is asked again here.
                </span>
              </Box>
              <Button onClick={() => void go(`/jobs/${done.id}/record`)}>To the record</Button>
            </>
          )}
          <Button
            onClick={() => {
              setError(undefined);
              setDone(undefined);
            }}
          >
            Close
          </Button>
        </Box>
      )}
    </Box>
  );
};
