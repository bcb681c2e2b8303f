// Every key of the program, in one place. A page says what its keys run just now; which key that is and how it is called
// stands here alone.

import type { Command } from "./commands";

interface Bound {
  /** What `KeyboardEvent.key` calls them, letters small; the first is printed. */
  keys: readonly string[];
  name: string;
  /** Acts in a field that is marked for it as well, while nothing is typed there. */
  inField?: boolean;
}

export const KEYS = {
  "keys.show": { keys: ["?"], name: "Show these keys", inField: true },
  "rack.find": { keys: ["f"], name: "Find a job" },
  "rack.new": { keys: ["j"], name: "New job" },
  "intake.yes": { keys: ["1"], name: "Yes, it does" },
  "intake.no": { keys: ["2"], name: "No" },
  "intake.unknown": { keys: ["0"], name: "Not known" },
  "intake.open": { keys: ["Enter"], name: "Open the job" },
  "gate.pass": { keys: ["Enter"], name: "To the Bench" },
  "state.battery": { keys: ["F1"], name: "Battery" },
  "state.key": { keys: ["F2"], name: "Switch" },
  "state.wheel": { keys: ["F3"], name: "Wheel" },
  "job.clock": { keys: ["F4"], name: "Start or pause the clock" },
  "bench.undo": { keys: ["u"], name: "Take the last one back", inField: true },
  "bench.suspects": { keys: ["w"], name: "Show the suspects alone" },
  "card.set-up": { keys: ["g"], name: "Set up as shown", inField: true },
  "card.back": { keys: ["Escape"], name: "Back", inField: true },
  "card.meter": { keys: ["m", "Enter"], name: "Read the meter", inField: true },
  "card.not-steady": { keys: ["s", "*"], name: "Not steady", inField: true },
  "card.nothing": { keys: ["n", "/"], name: "Reads nothing", inField: true },
  "card.no-reach": { keys: ["r", "+"], name: "Can’t reach", inField: true },
  "controls.take": { keys: ["Enter"], name: "Save how they are set" },
  "controls.single": { keys: ["0"], name: "One at a time" },
  "built.so": { keys: ["Enter"], name: "It is built so" },
  "built.drawn": { keys: ["k"], name: "No, keep as drawn" },
  "plug.colour": { keys: ["c"], name: "Colour" },
  "plug.stripe": { keys: ["s"], name: "Stripe" },
  "plug.half": { keys: ["h"], name: "The other half" },
  "plug.leads": { keys: ["f"], name: "Leads to" },
  "plug.move": { keys: ["m"], name: "Move this wire" },
  "plug.keep": { keys: ["Enter"], name: "Keep it so" },
  "plug.done": { keys: ["Escape"], name: "Done" },
  "repair.proof": { keys: ["p"], name: "To the proof" },
  "proof.next": { keys: ["ArrowDown"], name: "Next check", inField: true },
  "proof.before": { keys: ["ArrowUp"], name: "Check before", inField: true },
  "proof.passed": { keys: ["Enter"], name: "It passed" },
  "proof.back": { keys: ["Escape"], name: "Back to the list" },
} as const satisfies Record<string, Bound>;

export type KeyId = keyof typeof KEYS;

/** A command under its key; another name where the page knows it better. */
export const command = (id: KeyId, run: Command["run"], name?: string): Command => {
  const bound: Bound = KEYS[id];
  return { keys: [...bound.keys], name: name ?? bound.name, run, inField: bound.inField };
};

/** One of several things to choose from, under its number: the first is 1, what is not known is 0. */
export const choice = (number: number, name: string, run: Command["run"]): Command => ({
  keys: [String(number)],
  name,
  run,
});
