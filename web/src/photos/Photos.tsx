import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import { useState } from "react";
import type { JobView } from "../api/client";
import { useAddPhoto } from "../api/hooks";
import { v } from "../theme/tokens";
import { FileButton } from "../ui/FileButton";
import { dayAndTime } from "../ui/format";
import { ErrorLine } from "../ui/parts";

type Photo = JobView["photos"][number];

const address = (job: JobView, p: Photo, small: boolean) =>
  `/api/jobs/${job.id}/photos/${p.photo}${small ? "?small=true" : ""}`;

/** Take or choose a photo. The camera opens on a tablet; where it was taken is not kept. */
export const PhotoButton = ({
  job,
  of,
  caption,
  words = "Photo",
}: {
  job: JobView;
  /** Entry it belongs to. */
  of?: string;
  caption: string;
  /** Words beside the camera; empty for the camera alone. */
  words?: string;
}) => {
  const add = useAddPhoto(job);
  return (
    <>
      <FileButton
        label={words === "" ? `Photo to: ${caption}` : "Photo from camera or file"}
        name="photo"
        accept="image/jpeg,image/png,image/webp"
        disabled={add.isPending}
        mark="data-add-photo"
        bare={words === ""}
        sx={
          words === ""
            ? { minWidth: 44, minHeight: 36, p: 0, border: 0, background: "transparent", color: v("ink2") }
            : { gap: 1, minHeight: 46, fontSize: 16 }
        }
        onFile={(file) => {
          add.mutate({ file, caption, ...(of === undefined ? {} : { of }) });
        }}
      >
        <Camera /> {words !== "" && (add.isPending ? "Keeping it" : words)}
      </FileButton>
      {add.error && <ErrorLine>{add.error.message}</ErrorLine>}
    </>
  );
};

/** Photos small, full on press. */
export const Photos = ({ job, photos }: { job: JobView; photos: Photo[] }) => {
  const [open, setOpen] = useState<Photo>();
  if (photos.length === 0) return null;
  return (
    <>
      <Box sx={{ display: "flex", gap: 1, flexWrap: "wrap" }}>
        {photos.map((p) => (
          <Box
            key={p.entry}
            component="button"
            type="button"
            onClick={() => {
              setOpen(p);
            }}
            data-photo={p.photo}
            aria-label={`Photo ${p.caption}, show it full`}
            sx={{
              border: `1.5px solid ${v("ink")}`,
              background: v("sheet"),
              p: 0,
              cursor: "pointer",
              lineHeight: 0,
            }}
          >
            <img src={address(job, p, true)} alt="" height="84" style={{ display: "block", maxWidth: 160 }} />
          </Box>
        ))}
      </Box>
      {open && (
        <Box
          role="dialog"
          aria-label={open.caption || "Photo"}
          onClick={() => {
            setOpen(undefined);
          }}
          onKeyDown={(e: React.KeyboardEvent) => {
            if (e.key === "Escape") setOpen(undefined);
          }}
          sx={{
            position: "fixed",
            inset: 0,
            zIndex: 12,
            background: v("paper"),
            p: 2,
            display: "flex",
            flexDirection: "column",
            gap: 1,
          }}
          data-photo-full
        >
          <Box sx={{ display: "flex", gap: 2, alignItems: "center" }}>
            <Box sx={{ flex: 1, fontSize: 18 }}>
              <b>{open.caption || "Photo"}</b> {dayAndTime(open.at)}, {open.by}
            </Box>
            <Button autoFocus>Close</Button>
          </Box>
          <Box sx={{ flex: 1, minHeight: 0, display: "grid", placeItems: "center" }}>
            <img
              src={address(job, open, false)}
              alt={open.caption}
              style={{ maxWidth: "100%", maxHeight: "calc(100vh - 96px)", objectFit: "contain" }}
            />
          </Box>
        </Box>
      )}
    </>
  );
};

const Camera = () => (
  <svg width="24" height="20" viewBox="0 0 24 20" aria-hidden="true" fill="none" stroke="currentColor">
    <path d="M1.5 5.5h5l2-3h7l2 3h5v13h-21z" strokeWidth="2.2" />
    <circle cx="12" cy="11.5" r="4" strokeWidth="2.2" />
  </svg>
);
