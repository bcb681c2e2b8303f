import { useCallback, useState } from "react";

const KEY = "spannung-typed-";

/** A text that is being typed: it survives a reload of the page, on this device, until it is emptied. It is set
 * to a text, or by what stands there at that moment. */
export function useKept(
  name: string,
  otherwise = "",
): [string, (text: string | ((now: string) => string)) => void] {
  const key = KEY + name;
  const read = useCallback((): string => {
    try {
      return sessionStorage.getItem(key) ?? otherwise;
    } catch {
      return otherwise;
    }
  }, [key, otherwise]);
  const [held, setHeld] = useState({ key, text: read() });
  // another field under the same hook: its own text
  const text = held.key === key ? held.text : read();
  const set = useCallback(
    (to: string | ((now: string) => string)) => {
      const next = typeof to === "string" ? to : to(read());
      try {
        if (next === otherwise || next === "") sessionStorage.removeItem(key);
        else sessionStorage.setItem(key, next);
      } catch {
        /* a browser that keeps nothing still types */
      }
      setHeld({ key, text: next });
    },
    [key, otherwise, read],
  );
  return [text, set];
}
