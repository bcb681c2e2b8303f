import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import { useRef, type ReactNode } from "react";

/** A button that asks for a file. Its field is hidden, not gone, so that it works by keyboard and in tests. */
export const FileButton = ({
  label,
  name,
  accept,
  disabled = false,
  mark,
  bare = false,
  sx,
  onFile,
  children,
}: {
  /** What the file is, for a reader of the screen. */
  label: string;
  name: string;
  accept: string;
  disabled?: boolean;
  /** Attribute by which it is found. */
  mark: string;
  /** It shows a picture and no words. */
  bare?: boolean;
  sx?: object;
  onFile: (file: File) => void;
  children: ReactNode;
}) => {
  const field = useRef<HTMLInputElement>(null);
  return (
    <>
      <Button
        onClick={() => field.current?.click()}
        disabled={disabled}
        aria-label={bare ? label : undefined}
        sx={{ whiteSpace: "nowrap", ...sx }}
        {...{ [mark]: "" }}
      >
        {children}
      </Button>
      <Box
        component="input"
        ref={field}
        type="file"
        name={name}
        accept={accept}
        tabIndex={-1}
        aria-label={label}
        onChange={(e: React.ChangeEvent<HTMLInputElement>) => {
          const file = e.target.files?.[0];
          if (file) onFile(file);
          e.target.value = "";
        }}
        sx={{ position: "absolute", width: "1px", height: "1px", opacity: 0, pointerEvents: "none" }}
      />
    </>
  );
};
