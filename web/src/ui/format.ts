import { DateTime, IANAZone } from "luxon";

// Times, minutes, money and lengths are written here and nowhere else, the way this shop sets them.

/** What the shop sets: currency as three letters, time zone as region and town, units of length. */
export type Habits = { currency: string; zone: string; imperial: boolean };
let habits: Habits = { currency: "EUR", zone: "UTC", imperial: false };
/** Write everything from now on as this shop does. */
export const setHabits = (now: Habits): void => {
  // an old browser may not know a zone by its new name: UTC is better than no time at all
  habits = { ...now, zone: IANAZone.isValidZone(now.zone) ? now.zone : "UTC" };
};

const local = (iso: string): DateTime => DateTime.fromISO(iso, { zone: habits.zone, locale: "en-GB" });

/** Clock time of an instant, in the shop's time zone. */
export const clock = (iso: string): string => local(iso).toFormat("HH:mm");

/** Day and time as people say it: today's time alone, otherwise the weekday before it. */
export const when = (iso: string, now: string): string => {
  const d = local(iso);
  const days = Math.round(d.startOf("day").diff(local(now).startOf("day"), "days").days);
  if (days === 0) return clock(iso);
  return Math.abs(days) < 7 ? d.toFormat("ccc HH:mm") : d.toFormat("d.M. HH:mm");
};

/** Day and time: Tue 17.10. 09:20. */
export const dayAndTime = (iso: string): string => local(iso).toFormat("ccc dd.MM. HH:mm");

/** Weekday and time, for the rack's head. */
export const dayTime = (iso: string): string => local(iso).toFormat("ccc HH:mm");

/** Day of an instant: Tue 17.10.2028. */
export const day = (iso: string): string => local(iso).toFormat("ccc dd.MM.yyyy");

/** Day in figures: 17.10.2028. */
export const date = (iso: string): string => local(iso).toFormat("dd.MM.yyyy");

/** What a field for day and time holds for an instant. */
export const field = (iso: string | null | undefined): string =>
  iso == null ? "" : local(iso).toFormat("yyyy-MM-dd'T'HH:mm");

/** The instant of what a field for day and time holds; noon where it holds a day alone. */
export const instant = (text: string): string | null =>
  text === ""
    ? null
    : DateTime.fromISO(text.includes("T") ? text : `${text}T12:00`, { zone: habits.zone })
        .toUTC()
        .toISO({ suppressMilliseconds: true });

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

/** Text whose figures do not part from their units at the end of a line. */
export const whole = (text: string): string =>
  text.replace(/(\d) (%|min|V|A|Ω|kΩ|MΩ|mΩ)(?![\w])/g, "$1\u00a0$2");

const SIGNS: Record<string, string> = { EUR: "€", GBP: "£", USD: "$" };
/** Sign of a currency, or its letters with a gap. */
export const sign = (code: string = habits.currency): string => SIGNS[code] ?? `${code}\u00a0`;

/** Cents as money, with the shop's or a given currency. */
export const money = (cents: number, code: string = habits.currency): string =>
  `${cents < 0 ? "\u2212" : ""}${sign(code)}${(Math.abs(cents) / 100).toFixed(2)}`;

/** Cents from what was typed, or null when it is no amount of money. */
export const cents = (typed: string): number | null => {
  // a sign or the letters of the currency before or after it; a minus is no price
  const t = typed
    .trim()
    .replace(/^(\p{Sc}|[A-Z]{3})\s*/iu, "")
    .replace(/\s*(\p{Sc}|[A-Z]{3})$/iu, "");
  if (!/^\d+([.,]\d{1,2})?$/.test(t)) return null;
  return Math.round(Number(t.replace(",", ".")) * 100);
};

export const number4 = (n: number): string => String(n).padStart(4, "0");

/** Signed change with a true minus. */
export const signed = (n: number): string => (n > 0 ? `+${String(n)}` : n < 0 ? `\u2212${String(-n)}` : "0");

/** Cents as they stand in a field; empty for none. */
export const amount = (cents: number | null | undefined): string =>
  cents == null ? "" : (cents / 100).toFixed(2);

const KM_PER_MILE = 1.609344;

/** Word for the shop's unit of distance. */
export const distanceUnit = (): string => (habits.imperial ? "miles" : "km");

/** Kilometres as the shop says a distance. */
export const distance = (km: number): string =>
  `${String(Math.round(habits.imperial ? km / KM_PER_MILE : km))} ${distanceUnit()}`;

/** Kilometres of a distance typed in the shop's unit. */
export const kilometres = (typed: number): number =>
  Math.round(habits.imperial ? typed * KM_PER_MILE : typed);

/** A limit as it stands, with the shop's own units behind it where they differ. */
export const limitWords = (limit: string, imperial: string | null | undefined): string =>
  habits.imperial && imperial != null ? `${limit} (${imperial})` : limit;
