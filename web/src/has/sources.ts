import type { KnownFrom } from "../api/client";

/** Where something about a vehicle can be known from: id, in a sentence, in a table. */
export const SOURCES: readonly (readonly [KnownFrom, string, string])[] = [
  ["seen", "looking", "seen"],
  ["label", "a label", "label"],
  ["measured", "measuring", "measured"],
  ["told", "the owner", "told"],
  ["guessed", "a guess", "guessed"],
];

/** A source as a table says it; nothing where it was not said. */
export const from = (source: KnownFrom | null | undefined): string =>
  SOURCES.find((s) => s[0] === source)?.[2] ?? "";
