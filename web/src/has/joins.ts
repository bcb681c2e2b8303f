import type { Slot } from "../api/client";

/** A wire of a component and what it leads to. */
export type Join = Slot["joins"][number];

/** The choice “leads nowhere”. */
export const NOWHERE = "";

/** What a wire can lead to: id and words; what it carries stands first. */
export const leads = (join: Join): (readonly [string, string])[] => {
  const all = join.can.map((c) => [c.id, c.name] as const);
  return join.can.some((c) => c.id === join.function) ? all : [[join.function, join.function], ...all];
};
