/** A field whose text is sent: what stands in it, and how it is set. */
export type Sent = readonly [text: string, set: (to: string | ((now: string) => string)) => void];

/**
 * Empty fields as soon as their texts are on the way: what is typed from then on is the next entry. What is given back
 * puts them in again, before what was typed meanwhile, for a write that is refused.
 */
export const handOver = (sent: readonly Sent[]): (() => void) => {
  for (const [, set] of sent) set("");
  return () => {
    for (const [text, set] of sent) set((now) => [text, now].filter((t) => t !== "").join(" "));
  };
};
