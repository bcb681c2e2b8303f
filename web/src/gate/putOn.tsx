import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import { useState } from "react";
import { api, take, type JobView, type PackView } from "../api/client";
import type { useAppend } from "../api/hooks";
import { v } from "../theme/tokens";
import { day, number4 } from "../ui/format";
import { ErrorLine } from "../ui/parts";

type Append = ReturnType<typeof useAppend>;

/** Put a pack on by its sticker. A sticker that another job has had asks first whether it is that pack. */
export function usePutOn(job: JobView, append: Append) {
  const [old, setOld] = useState<PackView>();
  const [error, setError] = useState<string>();
  const act = async (f: () => Promise<void>) => {
    setError(undefined);
    try {
      await f();
    } catch (x) {
      setError(x instanceof Error ? x.message : String(x));
    }
  };
  const put = async (pack: PackView, known: boolean) => {
    await append.mutateAsync([{ kind: "pack", pack: pack.id, sticker: pack.sticker, known }]);
    setOld(undefined);
  };
  const name = (sticker: string, known = false) =>
    act(async () => {
      const pack = await take(
        api.PUT("/packs/{sticker}", { params: { path: { sticker }, query: { job: job.id } } }),
      );
      if (pack.past != null && !known) setOld(pack);
      else await put(pack, known);
    });
  return {
    name,
    error,
    old,
    isIt: () => {
      if (old) void act(() => put(old, true));
    },
    isNot: () => {
      setOld(undefined);
      setError("Then put another sticker on this one, and name that.");
    },
  };
}

/** Is it the pack that had this sticker before? */
export const OldSticker = ({ put, busy }: { put: ReturnType<typeof usePutOn>; busy: boolean }) => {
  const past = put.old?.past;
  if (!put.old || !past) return put.error ? <ErrorLine>{put.error}</ErrorLine> : null;
  const where = past.vehicle === "" ? `job ${number4(past.number)}` : past.vehicle;
  return (
    <Box
      data-old-sticker
      sx={{
        border: `3px solid ${v("ink")}`,
        background: v("paper"),
        color: v("ink"),
        p: 1.6,
        display: "grid",
        gap: 1,
      }}
    >
      <Box sx={{ fontSize: 19, fontWeight: 700 }}>
        {put.old.sticker} was last on {where}
        {past.opened_at == null ? "" : `, ${day(past.opened_at)}`}.
      </Box>
      <Box sx={{ fontSize: 16 }}>
        {past.dangers > 0
          ? "Something dangerous was found on it: if it is that pack, it comes along."
          : "If it is that pack, what was seen of it comes along."}
      </Box>
      <Box sx={{ display: "flex", gap: 1, flexWrap: "wrap" }}>
        <Button variant="contained" disabled={busy} onClick={put.isIt} data-same-pack>
          It is that pack
        </Button>
        <Button disabled={busy} onClick={put.isNot} data-other-pack>
          It is another one
        </Button>
      </Box>
      {put.error && <ErrorLine>{put.error}</ErrorLine>}
    </Box>
  );
};
