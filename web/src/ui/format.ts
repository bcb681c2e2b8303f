// Times, minutes and money are written here and nowhere else.

const DAYS = ["Sun", "Mon", "Tue", "Wed", "Thu", "Fri", "Sat"];
const two = (n: number) => String(n).padStart(2, "0");

/** Clock time of an instant, in the shop's time (UTC in the demonstration). */
export const clock = (iso: string): string => {
  const d = new Date(iso);
  return `${two(d.getUTCHours())}:${two(d.getUTCMinutes())}`;
};

/** Day and time as people say it: today's time alone, otherwise the weekday before it. */
export const when = (iso: string, now: string): string => {
  const d = new Date(iso);
  const n = new Date(now);
  const days = Math.floor(d.getTime() / 864e5) - Math.floor(n.getTime() / 864e5);
  if (days === 0) return clock(iso);
  if (Math.abs(days) < 7) return `${DAYS[d.getUTCDay()] ?? ""} ${clock(iso)}`;
  return `${String(d.getUTCDate())}.${String(d.getUTCMonth() + 1)}. ${clock(iso)}`;
};

export const dayAndTime = (iso: string): string => {
  const d = new Date(iso);
  return `${DAYS[d.getUTCDay()] ?? ""} ${two(d.getUTCDate())}.${two(d.getUTCMonth() + 1)}. ${clock(iso)}`;
};

/** Minutes as a span: 9 min, 2 h 56 min, 3 days. */
export const span = (minutes: number): string => {
  const m = Math.abs(Math.round(minutes));
  if (m >= 2 * 1440) return `${String(Math.round(m / 1440))} days`;
  if (m >= 60)
    return m % 60 === 0 || m > 600
      ? `${String(Math.round(m / 60))} h`
      : `${String(Math.floor(m / 60))} h ${String(m % 60)} min`;
  return `${String(m)} min`;
};

export const minutes = (m: number): string =>
  m < 10 ? m.toFixed(1).replace(/\.0$/, "") : String(Math.round(m));

let currency = "EUR";
/** The shop's currency, three letters. */
export const setCurrency = (code: string): void => {
  currency = code;
};
const SIGNS: Record<string, string> = { EUR: "€", GBP: "£", USD: "$" };
/** Sign of a currency, or its letters with a gap. */
export const sign = (code: string = currency): string => SIGNS[code] ?? `${code}\u00a0`;

/** Cents as money, with the shop's or a given currency. */
export const money = (cents: number, code: string = currency): string =>
  `${cents < 0 ? "\u2212" : ""}${sign(code)}${(Math.abs(cents) / 100).toFixed(2)}`;

/** Cents from what was typed, or null when it is no amount of money. */
export const cents = (typed: string): number | null => {
  const t = typed
    .trim()
    .replace(/^[^\d]+/u, "")
    .trim();
  if (!/^\d+([.,]\d{1,2})?$/.test(t)) return null;
  return Math.round(Number(t.replace(",", ".")) * 100);
};

export const number4 = (n: number): string => String(n).padStart(4, "0");

/** Signed change with a true minus. */
export const signed = (n: number): string => (n > 0 ? `+${String(n)}` : n < 0 ? `\u2212${String(-n)}` : "0");

/** Weekday and time, for the rack's head. */
export const dayTime = (iso: string): string => `${DAYS[new Date(iso).getUTCDay()] ?? ""} ${clock(iso)}`;

/** Day of an instant: Tue 17.10.2028. */
export const day = (iso: string): string => {
  const d = new Date(iso);
  return `${DAYS[d.getUTCDay()] ?? ""} ${two(d.getUTCDate())}.${two(d.getUTCMonth() + 1)}.${String(d.getUTCFullYear())}`;
};

/** Day in figures: 17.10.2028. */
export const date = (iso: string): string => day(iso).slice(4);
