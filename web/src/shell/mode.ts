const key = "vestpin-mode";

/** applyMode sets the theme that was chosen last, or the one the system prefers. */
export function applyMode() {
  const chosen = localStorage.getItem(key);
  const dark = chosen ? chosen === "dark" : matchMedia("(prefers-color-scheme: dark)").matches;
  document.documentElement.classList.toggle("dark", dark);
}

/** toggleMode changes between linen and dark, and remembers it. */
export function toggleMode() {
  localStorage.setItem(key, document.documentElement.classList.contains("dark") ? "light" : "dark");
  applyMode();
}
