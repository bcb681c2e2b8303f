// The page's own small parser, for the live pointer while typing. The server's decides; both are held
// to one table of cases.

export type Unit = "volts" | "ohms" | "amps";
export interface Figure {
  low: number;
  high: number;
  overRange: boolean;
  unit: Unit;
}
export type Parsed = { ok: true; figure: Figure } | { ok: false; sentence: string };

const LARGEST = 1e9;
const fail = (sentence: string): Parsed => ({ ok: false, sentence });
const notAReading = (typed: string) =>
  `“${typed}” is not a reading. Give a figure such as 46.8, 92m, 4k7, 0.9..4.2 or OL.`;

const unitWord = (w: string): Unit | null | undefined => {
  if (w === "") return null;
  if (["V", "v", "volt", "volts"].includes(w)) return "volts";
  if (["Ω", "\u2126", "R", "r", "ohm", "ohms", "Ohm"].includes(w)) return "ohms";
  if (["A", "a", "amp", "amps"].includes(w)) return "amps";
  return undefined;
};

const FACTORS: Record<string, number> = {
  k: 1e3,
  K: 1e3,
  M: 1e6,
  m: 1e-3,
  "\u00b5": 1e-6,
  "\u03bc": 1e-6,
  u: 1e-6,
};

function suffix(text: string): { factor: number; unit: Unit | null } | undefined {
  const tail = text.trim();
  const plain = unitWord(tail);
  if (plain !== undefined) return { factor: 1, unit: plain };
  const factor = FACTORS[tail.charAt(0)];
  if (factor === undefined) return undefined;
  const unit = unitWord(tail.slice(1).trim());
  if (unit === undefined) return undefined;
  return { factor, unit: unit ?? (factor > 1 ? "ohms" : null) };
}

function one(text: string, typed: string): { value: number; unit: Unit | null } | string {
  const match = /^([-−+]?)([\d.,]*)(.*)$/su.exec(text.trim());
  if (!match) return notAReading(typed);
  const [, sign = "", number = "", rest = ""] = match;
  if ((number.match(/[.,]/g) ?? []).length > 1 || !/\d/.test(number)) return notAReading(typed);
  let digits = number.replace(",", ".");
  let tail = rest.trim();
  const inner = /^([kKRrM])(\d+)(.*)$/su.exec(tail);
  if (inner) {
    if (digits.includes(".")) return notAReading(typed);
    digits = `${digits}.${inner[2] ?? ""}`;
    tail = `${inner[1] ?? ""}${inner[3] ?? ""}`;
  }
  const end = suffix(tail);
  if (!end) return notAReading(typed);
  const value = Number(digits) * end.factor * (sign === "-" || sign === "−" ? -1 : 1);
  if (Math.abs(value) > LARGEST) return `“${typed}” is more than any meter shows.`;
  return { value, unit: end.unit };
}

function settle(given: Unit | null, expected: Unit | null, typed: string): { unit: Unit } | string {
  if (given && expected && given !== expected)
    return `“${typed}” is in ${given}; this point is read in ${expected}.`;
  const unit = given ?? expected;
  return unit ? { unit } : `${typed} what? Give volts or ohms: ${typed} V, 4k7.`;
}

/** Read what was typed; `expected` is the unit of the point, null when any may come. */
export function parse(text: string, expected: Unit | null): Parsed {
  const typed = text.trim();
  if (typed === "") return fail("Nothing typed. Give a figure such as 46.8, 92m, 4k7 or OL.");
  if (["ol", "o.l", "o.l.", "0l", "open", "∞"].includes(typed.toLowerCase())) {
    if (expected === "amps") return fail("OL belongs to ohms and diodes; this point is read in amps.");
    return { ok: true, figure: { low: Infinity, high: Infinity, overRange: true, unit: expected ?? "ohms" } };
  }
  const dots = typed.indexOf("..");
  if (dots >= 0) {
    const high = one(typed.slice(dots + 2), typed);
    if (typeof high === "string") return fail(high);
    const low = one(typed.slice(0, dots), typed);
    if (typeof low === "string") return fail(low);
    const unit = settle(high.unit ?? low.unit, expected, typed);
    if (typeof unit === "string") return fail(unit);
    if (low.unit && low.unit !== unit.unit) return fail(`“${typed}” mixes two units.`);
    if (low.value > high.value) return fail(`“${typed}” runs backwards. Give the lower figure first.`);
    return { ok: true, figure: { low: low.value, high: high.value, overRange: false, unit: unit.unit } };
  }
  const got = one(typed, typed);
  if (typeof got === "string") return fail(got);
  const unit = settle(got.unit, expected, typed);
  if (typeof unit === "string") return fail(unit);
  return { ok: true, figure: { low: got.value, high: got.value, overRange: false, unit: unit.unit } };
}
