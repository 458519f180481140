const KEY = "chalkeus-theme";

export type Theme = "day" | "night";

/** The chosen theme; before any choice, the system's. */
export function theme(): Theme {
  const kept = localStorage.getItem(KEY);
  if (kept === "day" || kept === "night") return kept;
  return window.matchMedia("(prefers-color-scheme: dark)").matches ? "night" : "day";
}

export function applyTheme(chosen: Theme = theme()) {
  document.documentElement.dataset.theme = chosen;
}

export function toggleTheme() {
  const next = theme() === "day" ? "night" : "day";
  localStorage.setItem(KEY, next);
  applyTheme(next);
}
