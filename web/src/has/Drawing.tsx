import { v } from "../theme/tokens";

/** Key shapes of component kinds, in a box of 84 × 52: paths drawn with one pen, and what is filled with ink. */
const SHAPES: Record<string, { line: string; fill?: string }> = {
  bicycle: {
    line: "M6 36a11 11 0 1 0 22 0a11 11 0 1 0 -22 0M56 36a11 11 0 1 0 22 0a11 11 0 1 0 -22 0M17 36L32 16H56L67 36M32 16L42 36H17M42 36L56 16L53 9H62M28 12H37",
  },
  "kick-scooter": {
    line: "M10 42a6 6 0 1 0 12 0a6 6 0 1 0 -12 0M60 42a6 6 0 1 0 12 0a6 6 0 1 0 -12 0M22 40H54L66 10M60 10H74",
  },
  "seated-scooter": {
    line: "M10 41a7 7 0 1 0 14 0a7 7 0 1 0 -14 0M58 41a7 7 0 1 0 14 0a7 7 0 1 0 -14 0M24 40H52L65 12M60 12H74M14 22H34V27H24V34",
  },
  quad: {
    line: "M8 38a9 9 0 1 0 18 0a9 9 0 1 0 -18 0M56 38a9 9 0 1 0 18 0a9 9 0 1 0 -18 0M26 36H56M12 24H36L44 20H58L64 28M56 20L52 10H62",
  },
  "dirt-bike": {
    line: "M6 36a11 11 0 1 0 22 0a11 11 0 1 0 -22 0M56 36a11 11 0 1 0 22 0a11 11 0 1 0 -22 0M17 36L40 33L54 18L67 36M20 17H40L54 18L50 9H60M40 33V17",
  },
  "ride-on": {
    line: "M10 40a7 7 0 1 0 14 0a7 7 0 1 0 -14 0M58 40a7 7 0 1 0 14 0a7 7 0 1 0 -14 0M24 40H58M6 36V26H26L36 14H56L60 26H78V36M44 26V14",
  },
  "pack-dock": {
    line: "M10 14H68V38H10ZM68 20H76V32H68M18 19V33M26 19V33M34 19V33M42 19V33M50 19V33M58 19V33",
  },
  "pack-leads": {
    line: "M8 14H58V38H8ZM16 19V33M24 19V33M32 19V33M40 19V33M48 19V33M58 20C68 20 64 14 76 14M58 32C68 32 64 38 76 38",
  },
  "pack-blocks": {
    line: "M6 18H28V40H6ZM31 18H53V40H31ZM56 18H78V40H56ZM11 18V13H15V18M20 18V13H24V18M36 18V13H40V18M45 18V13H49V18M61 18V13H65V18M70 18V13H74V18M22 13H38M47 13H63",
  },
  "pack-tool": { line: "M20 30H64V42H20ZM28 30V18H56V30M34 18V12H50V18M10 36H20M64 36H74" },
  "two-packs": {
    line: "M8 6H44V22H8ZM8 30H44V46H8ZM44 14H58V26M44 38H58V26M58 26H76M52 20L58 14L64 20M52 32L58 38L64 32",
  },
  "port-id": {
    line: "M24 26a15 15 0 1 0 30 0a15 15 0 1 0 -30 0M32 24V30M39 18V23M46 24V30M54 26H78",
    fill: "M37 29H41V35H37Z",
  },
  port: { line: "M24 26a15 15 0 1 0 30 0a15 15 0 1 0 -30 0M32 24V30M39 20V26M46 24V30M54 26H78" },
  jack: { line: "M10 20H40V32H10ZM40 23H52V29H40M58 16V36H74M58 26H66" },
  fuse: { line: "M6 26H20M64 26H78M20 16H64V36H20ZM20 26C30 14 36 38 42 26S54 14 64 26" },
  contactor: { line: "M6 14H28M56 14H78M28 14L52 6M20 30H64V46H20ZM30 30V46M40 30V46M50 30V46M42 30V18" },
  key: { line: "M8 26a11 11 0 1 0 22 0a11 11 0 1 0 -22 0M30 26H76V36H68V26M60 26V33" },
  switch: {
    line: "M6 32H26M58 32H78M28 32L56 16M24 32a3 3 0 1 0 6 0a3 3 0 1 0 -6 0M54 32a3 3 0 1 0 6 0a3 3 0 1 0 -6 0",
  },
  "switch-two": {
    line: "M6 18H26M56 10H78M56 26H78M28 18L54 11M6 40H26M56 34H78M56 48H78M28 40L54 35M41 15V37",
  },
  loop: { line: "M14 46V24a28 18 0 0 1 56 0V46M8 38H22V46H8ZM62 38H76V46H62Z" },
  controller: {
    line: "M16 14H68V38H16ZM22 14V8M30 14V8M38 14V8M46 14V8M54 14V8M62 14V8M24 38V45M42 38V45M60 38V45",
  },
  "controller-large": {
    line: "M8 12H76V40H8ZM14 12V5M22 12V5M30 12V5M38 12V5M46 12V5M54 12V5M62 12V5M70 12V5M16 20H68M16 26H68M16 32H68",
  },
  "controller-small": { line: "M24 16H60V38H24ZM30 16V9M38 16V9M46 16V9M54 16V9M34 38V45M50 38V45" },
  loom: { line: "M6 12H28L42 26L56 12H78M6 26H78M6 40H28L42 26L56 40H78" },
  throttle: { line: "M6 18H40V28H6ZM40 14H54V32H40ZM54 20H78M47 32V40L38 46" },
  "throttle-gauge": {
    line: "M6 26H40V36H6ZM40 22H54V40H40ZM54 28H78M38 6H74V16H38M46 16V22",
    fill: "M43 8H47V14H43ZM51 8H55V14H51ZM59 8H63V14H59Z",
  },
  "foot-pedal": { line: "M8 44H76M16 44L62 14L70 24L34 44M50 22L56 32" },
  lever: { line: "M6 16H62V26H6ZM62 13H74V29H62ZM66 29C60 42 40 36 16 42" },
  pedals: {
    line: "M24 26a17 17 0 1 0 34 0a17 17 0 1 0 -34 0M41 26L62 40M58 44H70M41 26L20 12M12 8H24",
    fill: "M38 23H44V29H38Z",
  },
  "wheel-sensor": {
    line: "M14 26a18 18 0 1 0 36 0a18 18 0 1 0 -36 0M32 26L46 18M56 18H72V34H56ZM72 26H80",
    fill: "M43 15H49V21H43Z",
  },
  stand: { line: "M16 8L36 30L24 46M36 30L60 14M52 30H76V40H52Z" },
  display: { line: "M16 8H68V42H16ZM22 14H62V30H22ZM26 36H34M40 36H48M54 36H60M42 42V50" },
  panel: {
    line: "M12 16H72V36H12ZM60 26a5 5 0 1 0 10 0a5 5 0 1 0 -10 0",
    fill: "M18 23H23V29H18ZM28 23H33V29H28ZM38 23H43V29H38ZM48 23H53V29H48Z",
  },
  converter: { line: "M16 12H68V40H16ZM4 20H16M4 32H16M68 20H80M68 32H80M16 40L68 12M24 20H34M50 32H60" },
  lamp: {
    line: "M14 26a14 14 0 1 0 28 0a14 14 0 1 0 -28 0M18 16L38 36M38 16L18 36M52 14L70 6M54 26H74M52 38L70 46",
  },
  "hub-geared": {
    line: "M20 26a22 22 0 1 0 44 0a22 22 0 1 0 -44 0M37 26a5 5 0 1 0 10 0a5 5 0 1 0 -10 0M38 13a5 5 0 1 0 10 0a5 5 0 1 0 -10 0M26 33a5 5 0 1 0 10 0a5 5 0 1 0 -10 0M49 33a5 5 0 1 0 10 0a5 5 0 1 0 -10 0",
  },
  "hub-direct": {
    line: "M20 26a22 22 0 1 0 44 0a22 22 0 1 0 -44 0M28 26a14 14 0 1 0 28 0a14 14 0 1 0 -28 0M39 26a3 3 0 1 0 6 0a3 3 0 1 0 -6 0",
  },
  "mid-drive": {
    line: "M18 10H50L62 26L50 42H18ZM30 26a10 10 0 1 0 20 0a10 10 0 1 0 -20 0M40 26L72 40M68 46H78",
  },
  "motor-chain": {
    line: "M10 12H44V40H10ZM44 26H54M54 18V34M54 20a7 7 0 1 1 0 12M62 20H78M62 32H78M18 12V8M26 12V8M34 12V8",
  },
  "motor-brushed": { line: "M12 14H56V38H12ZM56 26H70M24 14V6H36V14M24 38V46H36V38M62 20V32" },
  gearbox: {
    line: "M10 14H36V38H10ZM36 26H44M44 26a8 8 0 1 0 16 0a8 8 0 1 0 -16 0M60 26a10 10 0 1 0 20 0a10 10 0 1 0 -20 0",
  },
  gearboxes: {
    line: "M6 6H26V20H6ZM26 13H32M32 13a6 6 0 1 0 12 0a6 6 0 1 0 -12 0M6 32H26V46H6ZM26 39H32M32 39a6 6 0 1 0 12 0a6 6 0 1 0 -12 0M52 8V44M62 13a8 8 0 1 0 0.1 0M62 31a8 8 0 1 0 0.1 0",
  },
  // a block on a cable, and the teeth of a gear
  shift: { line: "M4 26H26M26 16H54V36H26ZM54 26H80M40 36V46M32 26a8 8 0 1 0 16 0a8 8 0 1 0 -16 0" },
  parting: {
    line: "M4 26H28M28 16H44V36H28ZM44 19C56 19 52 8 76 8M44 24C58 24 60 20 76 20M44 28C58 28 60 32 76 32M44 33C56 33 52 44 76 44",
  },
  board: { line: "M14 10H70V42H14ZM22 18H36V30H22ZM46 18H62M46 25H62M46 32H58M26 42V48M42 42V48M58 42V48" },
};

/** The key shape of a component kind; an open contact where there is nothing. */
export const Drawing = ({
  shape,
  assumed,
  width = 84,
}: {
  shape: string;
  assumed: boolean;
  width?: number;
}) => {
  const found = SHAPES[shape];
  const ink = assumed ? v("ink3") : v("ink");
  return (
    <svg width={width} height={(width * 52) / 84} viewBox="0 0 84 52" aria-hidden="true">
      {found ? (
        <>
          <path
            d={found.line}
            fill="none"
            stroke={ink}
            strokeWidth={assumed ? 1.3 : 2.2}
            strokeLinejoin="miter"
          />
          {found.fill !== undefined && <path d={found.fill} fill={ink} />}
        </>
      ) : (
        <path
          d="M12 26H26M58 26H72M26 26a4 4 0 1 0 8 0a4 4 0 1 0 -8 0M50 26a4 4 0 1 0 8 0a4 4 0 1 0 -8 0"
          fill="none"
          stroke={ink}
          strokeWidth="2"
        />
      )}
    </svg>
  );
};
