import { createTheme } from "@mui/material/styles";
import { dark, font, light, v, type Tokens } from "./tokens";

const vars = (t: Tokens) => Object.fromEntries(Object.entries(t).map(([k, c]) => [`--s-${k}`, c]));

const plain = {
  palette: {
    primary: { main: light.copperFill, contrastText: light.onCopper },
    success: { main: light.verdigrisFill },
    error: { main: light.ink },
    background: { default: light.paper, paper: light.sheet },
    text: { primary: light.ink, secondary: light.ink2 },
    divider: light.ruleStrong,
  },
};

/** Both drawings by tokens: which one is shown is an attribute of the document (mode.ts). */
export const theme = createTheme({
  cssVariables: true,
  ...plain,
  shape: { borderRadius: 3 },
  shadows: Array(25).fill("none") as never,
  typography: {
    fontFamily: font,
    fontSize: 16,
    allVariants: { fontVariantNumeric: "tabular-nums" },
    button: { textTransform: "none", fontWeight: 650, fontSize: 17, lineHeight: 1.2 },
  },
  transitions: { create: () => "none" },
  components: {
    MuiCssBaseline: {
      styleOverrides: {
        ":root": { ...vars(light), colorScheme: "light" },
        ":root[data-theme=dark]": { ...vars(dark), colorScheme: "dark" },
        body: {
          fontVariantNumeric: "tabular-nums",
          background: v("paper"),
          color: v("ink"),
          lineHeight: 1.35,
        },
        "svg text": { fontFamily: font, fontVariantNumeric: "tabular-nums", fill: v("ink") },
        "*:focus-visible": { outline: `3px solid ${v("ink")} !important`, outlineOffset: "2px" },
        "@media (prefers-reduced-motion: reduce)": {
          "*": { transition: "none !important", animation: "none !important" },
        },
      },
    },
    MuiButtonBase: { defaultProps: { disableRipple: true, disableTouchRipple: true } },
    MuiButton: {
      defaultProps: { disableElevation: true, variant: "outlined" },
      styleOverrides: {
        root: {
          minHeight: 48,
          borderWidth: 1.5,
          borderColor: v("ink"),
          color: v("ink"),
          background: v("sheet"),
          padding: "6px 14px",
          "&:hover": { background: v("well"), borderColor: v("ink") },
          "&.Mui-disabled": { borderColor: v("ruleStrong"), color: v("ink3"), background: "transparent" },
          "&.MuiButton-contained": {
            background: v("copperFill"),
            borderColor: v("copperFill"),
            color: v("onCopper"),
            "&:hover": { background: v("copper") },
            "&.Mui-disabled": { background: v("well"), color: v("ink3") },
          },
        },
      },
    },
    MuiOutlinedInput: {
      styleOverrides: {
        root: {
          background: v("sheet"),
          color: v("ink"),
          "& .MuiOutlinedInput-notchedOutline": { borderColor: v("ink"), borderWidth: 1.5 },
          "&.Mui-focused .MuiOutlinedInput-notchedOutline": { borderColor: v("ink"), borderWidth: 3 },
        },
        input: {
          padding: "11px 12px",
          fontSize: 17,
          // the frame around it shows the focus; a ring would cut its label
          "&:focus-visible": { outline: "none !important" },
          "&.Mui-disabled": { WebkitTextFillColor: v("ink3") },
        },
      },
    },
    MuiFormHelperText: { styleOverrides: { root: { color: v("ink2"), fontSize: 14.5 } } },
    MuiDialog: {
      styleOverrides: {
        paper: {
          background: v("sheet"),
          backgroundImage: "none",
          color: v("ink"),
          border: `2px solid ${v("ink")}`,
          borderRadius: 3,
        },
      },
    },
    MuiInputLabel: {
      styleOverrides: {
        root: {
          color: v("ink2"),
          "&.Mui-focused": { color: v("ink") },
          "&.Mui-disabled": { color: v("ink3") },
        },
      },
    },
  },
});
