import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import TextField from "@mui/material/TextField";
import type { ReactNode } from "react";
import { v } from "../theme/tokens";

/** Styles of a pressed button: ink ground, never copper. */
export const pressed = (on: boolean): object =>
  on ? { background: v("ink"), color: v("sheet"), "&:hover": { background: v("ink2") } } : {};

/** A line of text with its label. */
export const Line = ({
  label,
  value,
  onChange,
  name,
  type,
  autoFocus = false,
  hint,
  many = false,
  mode,
  disabled = false,
  autoComplete,
}: {
  label: string;
  value: string;
  onChange: (text: string) => void;
  name?: string;
  type?: string;
  autoFocus?: boolean;
  hint?: string;
  many?: boolean;
  mode?: "decimal" | "numeric";
  disabled?: boolean;
  /** What the browser may fill in; nothing where it is not said. */
  autoComplete?: string;
}) => (
  <TextField
    size="small"
    fullWidth
    label={label}
    name={name}
    type={type}
    value={value}
    autoFocus={autoFocus}
    disabled={disabled}
    multiline={many}
    minRows={many ? 2 : undefined}
    helperText={hint}
    onChange={(e) => {
      onChange(e.target.value);
    }}
    slotProps={{
      inputLabel: type === "datetime-local" || type === "date" ? { shrink: true } : undefined,
      htmlInput: { inputMode: mode, autoComplete: autoComplete ?? (type === "password" ? undefined : "off") },
    }}
  />
);

/** A field whose words stand in it or before it: no frame of its own. */
export const Plain = ({
  label,
  value,
  onChange,
  onDone,
  name,
  mode,
  disabled = false,
  hint,
  autoFocus = false,
  sx = {},
}: {
  /** What it is, for whoever does not see the words around it. */
  label: string;
  value: string;
  onChange: (text: string) => void;
  /** The field is left, or Enter is pressed in it. */
  onDone?: () => void;
  name?: string;
  mode?: "decimal" | "numeric";
  disabled?: boolean;
  /** Words in it while it is empty. */
  hint?: string;
  autoFocus?: boolean;
  sx?: object;
}) => (
  <Box
    component="input"
    autoFocus={autoFocus}
    aria-label={label}
    name={name}
    inputMode={mode}
    disabled={disabled}
    onBlur={onDone}
    {...(onDone
      ? {
          onKeyDown: (e: React.KeyboardEvent) => {
            if (e.key === "Enter") onDone();
          },
        }
      : {})}
    placeholder={hint}
    value={value}
    onChange={(e: React.ChangeEvent<HTMLInputElement>) => {
      onChange(e.target.value);
    }}
    sx={{
      font: "inherit",
      fontSize: 16,
      height: 44,
      border: `1.5px solid ${v("ink")}`,
      borderRadius: "3px",
      px: 1,
      background: v("sheet"),
      color: v("ink"),
      ...sx,
    }}
  />
);

/** A choice from a list; the native one, so that it works on every tablet. */
export const Select = ({
  label,
  value,
  onChange,
  name,
  empty,
  options,
  disabled = false,
  low = false,
}: {
  label: string;
  value: string;
  onChange: (value: string) => void;
  name?: string;
  disabled?: boolean;
  /** It stands in a line of text. */
  low?: boolean;
  /** Words while nothing is chosen; without them something always is. */
  empty?: string;
  options: readonly (readonly [string, string])[];
}) => (
  <Box
    component="select"
    aria-label={label}
    name={name}
    value={value}
    disabled={disabled}
    onChange={(e: React.ChangeEvent<HTMLSelectElement>) => {
      onChange(e.target.value);
    }}
    sx={{
      font: "inherit",
      fontSize: low ? 15 : 16,
      height: low ? 32 : 46,
      width: "100%",
      minWidth: 0,
      border: `1.5px solid ${v("ink")}`,
      borderRadius: "3px",
      background: v("sheet"),
      color: v("ink"),
      px: 1,
    }}
  >
    {empty !== undefined && <option value="">{empty}</option>}
    {options.map(([id, words]) => (
      <option key={id} value={id}>
        {words}
      </option>
    ))}
  </Box>
);

/** Equal buttons of which one is pressed. */
export const OneOf = <T extends string>({
  label,
  value,
  options,
  onPick,
  disabled = false,
}: {
  label: string;
  value: T | undefined;
  options: readonly (readonly [T, string])[];
  onPick: (value: T) => void;
  disabled?: boolean;
}) => (
  <Box role="group" aria-label={label} sx={{ display: "flex", gap: 0.8, flexWrap: "wrap" }}>
    {options.map(([id, words]) => (
      <Button
        key={id}
        type="button"
        aria-pressed={value === id}
        disabled={disabled}
        data-pick={id}
        onClick={() => {
          onPick(id);
        }}
        sx={{ minHeight: 46, fontSize: 16, px: 1.4, ...pressed(value === id) }}
      >
        {words}
      </Button>
    ))}
  </Box>
);

/** A form: fields in columns, sent by Enter, never reloading the page. */
export const Form = ({
  children,
  onSend,
  columns = "1fr 1fr",
  mark,
}: {
  children: ReactNode;
  onSend: () => void;
  columns?: string;
  /** Name by which the tests find it. */
  mark?: string;
}) => (
  <Box
    component="form"
    data-form={mark}
    onSubmit={(e: React.FormEvent) => {
      e.preventDefault();
      onSend();
    }}
    sx={{
      display: "grid",
      gridTemplateColumns: columns,
      gap: 1.2,
      alignItems: "center",
      "@media (max-width: 900px)": { gridTemplateColumns: "1fr 1fr" },
    }}
  >
    {children}
  </Box>
);

/** A number as people type it: comma or point, a true minus. NaN when it is none. */
export const number = (text: string): number =>
  text.trim() === "" ? NaN : Number(text.trim().replace(",", ".").replace("\u2212", "-"));
