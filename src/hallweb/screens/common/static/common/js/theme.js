// Day and night: kept in this browser, and set before anything is drawn.

const KEY = "high-hall-theme";
const NAMES = { light: "Day", dark: "Night" };

function preferred() {
  const kept = localStorage.getItem(KEY);
  if (kept in NAMES) return kept;
  return matchMedia("(prefers-color-scheme: dark)").matches ? "dark" : "light";
}

function apply(theme) {
  document.documentElement.dataset.bsTheme = theme;
  for (const label of document.querySelectorAll("[data-theme-name]")) label.textContent = NAMES[theme];
}

apply(preferred());
document.addEventListener("DOMContentLoaded", () => apply(preferred()));
document.addEventListener("click", (event) => {
  if (!event.target.closest("[data-theme-toggle]")) return;
  const next = preferred() === "dark" ? "light" : "dark";
  localStorage.setItem(KEY, next);
  apply(next);
});
