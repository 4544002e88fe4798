// The fields of the open return, a panel at a time; what a drawer shows takes their place and is brought into sight.

export function showPanel(key) {
  const strip = document.querySelector(".strip.is-open");
  strip.querySelector("[data-drawer]")?.remove();
  for (const panel of strip.querySelectorAll("[data-panel-of]")) panel.hidden = panel.dataset.panelOf !== key;
  for (const button of strip.querySelectorAll("[data-panel]")) button.setAttribute("aria-pressed", String(button.dataset.panel === key));
  for (const button of strip.querySelectorAll("[id^=drawer-]")) button.setAttribute("aria-expanded", "false");
  document.querySelector("#strip-state [name=drawer]").value = "";
  document.querySelector("#strip-state [name=fields]").value = key;
}

/** Show the panel that a field is in, if it is another one. */
export function showPanelOf(field) {
  const panel = field.closest("[data-panel-of]");
  if (panel?.hidden) showPanel(panel.dataset.panelOf);
}

export function bindPanels() {
  document.addEventListener("click", ({ target }) => {
    const button = target.closest?.("[data-panel]");
    if (button) showPanel(button.dataset.panel);
  });
  document.addEventListener("htmx:afterSettle", () => {
    document.querySelector("[data-drawer]")?.scrollIntoView({ block: "nearest" });
  });
}
