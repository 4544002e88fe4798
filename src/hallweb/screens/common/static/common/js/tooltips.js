// Titles are shown as tooltips, of whatever stands on the page now or later.

const SHOWN = "[title], [data-bs-original-title]";

export function bindTooltips() {
  const { Tooltip } = window.bootstrap;
  new Tooltip(document.body, { selector: SHOWN, trigger: "hover", delay: { show: 500, hide: 0 }, animation: false });
  document.addEventListener("pointerdown", ({ target }) => Tooltip.getInstance(target.closest?.(SHOWN))?.hide());
  document.addEventListener("htmx:beforeCleanupElement", ({ target }) => Tooltip.getInstance(target)?.dispose());
}
