import { useEffect, useRef } from "react";

/** What can be done on the page just now, by a key or two. */
export interface Command {
  /** Keys that do it: what `KeyboardEvent.key` calls them, letters small. The first is the one that is printed. */
  keys: string[];
  /** What it does, as it is listed. */
  name: string;
  /** Does it; without it the key does nothing just now. */
  run: (() => void) | undefined;
  /** Acts in a field that is marked for it as well, while nothing is typed there. */
  inField?: boolean;
}

/** Mark of a field in which commands act while it is empty. */
export const TAKES_COMMANDS = { "data-takes-commands": true } as const;

// one map for the page: whoever came last stands above those before
const layers: { current: Command[] }[] = [];

const find = (key: string, inField: boolean): Command | undefined => {
  for (const layer of [...layers].reverse()) {
    const found = layer.current.find(
      (c) => c.run !== undefined && c.keys.includes(key) && (!inField || c.inField === true),
    );
    if (found) return found;
  }
  return undefined;
};

/** Every command that acts now, each key once. */
export const commandsNow = (): Command[] => {
  const taken = new Set<string>();
  return [...layers].reverse().flatMap((layer) =>
    layer.current.filter((c) => {
      const key = c.keys[0] ?? "";
      if (c.run === undefined || taken.has(key)) return false;
      taken.add(key);
      return true;
    }),
  );
};

const press = (e: KeyboardEvent): void => {
  if (e.ctrlKey || e.metaKey || e.altKey) return;
  // whatever has the focus has answered it: a plug of the map opens on Enter and nothing else is written
  if (e.defaultPrevented) return;
  const target = e.target as HTMLElement;
  // what lies over the page has the keys to itself
  if (target.closest('[aria-modal="true"]') !== null) return;
  const typing = ["INPUT", "TEXTAREA", "SELECT"].includes(target.tagName);
  const empty =
    target instanceof HTMLInputElement && "takesCommands" in target.dataset && target.value === "";
  const far = /^F\d/.test(e.key);
  if (typing && !empty && !far) return;
  if (e.key === "Enter" && ["BUTTON", "A"].includes(target.tagName)) return;
  const key = e.key.length === 1 ? e.key.toLowerCase() : e.key;
  const command = find(key, typing && !far);
  if (command) {
    e.preventDefault();
    command.run?.();
  }
};

/** Say what can be done here; it acts as long as this stands on the page. */
export function useCommands(commands: Command[]): void {
  const layer = useRef(commands);
  layer.current = commands;
  useEffect(() => {
    if (layers.length === 0) window.addEventListener("keydown", press);
    layers.push(layer);
    return () => {
      layers.splice(layers.indexOf(layer), 1);
      if (layers.length === 0) window.removeEventListener("keydown", press);
    };
  }, []);
}
