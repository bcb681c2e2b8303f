// Which of the two drawings is shown: the device's wish, or what was chosen here. Kept per device.

export type Choice = "light" | "dark" | "system";

const KEY = "spannung-theme";
const dim = window.matchMedia("(prefers-color-scheme: dark)");
const listeners = new Set<() => void>();

export const choice = (): Choice => {
  const kept = localStorage.getItem(KEY);
  return kept === "light" || kept === "dark" ? kept : "system";
};

const apply = (): void => {
  const c = choice();
  const dark = c === "dark" || (c === "system" && dim.matches);
  document.documentElement.dataset.theme = dark ? "dark" : "light";
  listeners.forEach((l) => {
    l();
  });
};

export const choose = (c: Choice): void => {
  if (c === "system") localStorage.removeItem(KEY);
  else localStorage.setItem(KEY, c);
  apply();
};

export const follow = (l: () => void): (() => void) => {
  listeners.add(l);
  return () => listeners.delete(l);
};

/** Begin with what was chosen, and follow the device while nothing was. */
export const startTheme = (): void => {
  apply();
  dim.addEventListener("change", apply);
  // another tab of this device
  window.addEventListener("storage", apply);
};
