import { useEffect } from "react";

/** Act on single keys while nothing is being typed. */
export function useKeys(keys: Record<string, (() => void) | undefined>): void {
  useEffect(() => {
    const on = (e: KeyboardEvent) => {
      const target = e.target as HTMLElement;
      const typing = ["INPUT", "TEXTAREA", "SELECT"].includes(target.tagName);
      if (e.ctrlKey || e.metaKey || e.altKey) return;
      // whatever has the focus has answered it: a plug of the map opens on Enter and nothing else is written
      if (e.defaultPrevented) return;
      if (typing && !e.key.startsWith("F")) return;
      if (e.key === "Enter" && ["BUTTON", "A"].includes(target.tagName)) return;
      const act = keys[e.key] ?? keys[e.key.toLowerCase()];
      if (act) {
        e.preventDefault();
        act();
      }
    };
    window.addEventListener("keydown", on);
    return () => {
      window.removeEventListener("keydown", on);
    };
  });
}
