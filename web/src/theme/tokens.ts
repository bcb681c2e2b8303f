// The look lives here alone: colours of both themes, insulation colours, sizes.

export const light = {
  paper: "#F3F0E6",
  sheet: "#FBFAF5",
  well: "#E8E3D4",
  ink: "#1A1D1F",
  ink2: "#45494B",
  ink3: "#5E605C",
  ruleStrong: "#857F70",
  rule: "#C9C2AF",
  copper: "#8F4316",
  copperFill: "#A8521D",
  copperTint: "#F3E0CF",
  onCopper: "#FFFFFF",
  verdigris: "#14625A",
  verdigrisFill: "#1E7A6E",
  verdigrisTint: "#DCEBE4",
  alarm: "#A8003A",
  onAlarm: "#FFFFFF",
  probeRed: "#C4261D",
  probeBlack: "#16181A",
  casing: "#1A1D1F",
};

export const dark: typeof light = {
  paper: "#15181A",
  sheet: "#1E2326",
  well: "#2A3033",
  ink: "#F0EADC",
  ink2: "#C3BDAF",
  ink3: "#A39E92",
  ruleStrong: "#7B807E",
  rule: "#3B4246",
  copper: "#EC9A5E",
  copperFill: "#D97F3F",
  copperTint: "#3A2A1E",
  onCopper: "#15181A",
  verdigris: "#6CCBB8",
  verdigrisFill: "#3FA593",
  verdigrisTint: "#1D3430",
  alarm: "#D4104A",
  onAlarm: "#FFFFFF",
  probeRed: "#CF362C",
  probeBlack: "#08090A",
  casing: "#B9B3A5",
};

export type Tokens = typeof light;

/** Custom property of a token, as used in styles and SVG. */
export const v = (name: keyof Tokens): string => `var(--s-${name})`;

/** Insulation colours: data, the same meaning in both themes. */
export const insulation: Record<string, string> = {
  RD: "#D2281E",
  BK: "#1C1C1C",
  YE: "#F2C500",
  GN: "#2E8B37",
  BU: "#1F62C4",
  WH: "#FFFFFF",
  BN: "#7A4A22",
  GY: "#8C8F92",
  OR: "#F07C12",
  VT: "#7B3FA0",
  PK: "#EE8FB0",
  TQ: "#23A6A0",
  "??": "#8C8F92",
};

export const font = '"Atkinson Next", "Signs", system-ui, sans-serif';
