// The key sheet: the keys of the screen that is open and those that work everywhere; a search looks through all screens.

/** Whether a line of the sheet says all words that are looked for. */
export function says(text, words) {
  const lower = text.toLowerCase();
  return words.toLowerCase().split(/\s+/).every((word) => lower.includes(word));
}

export function bindKeySheet() {
  const sheet = document.getElementById("keys");
  const search = sheet.querySelector("[data-keys-search]");

  function show() {
    const words = search.value.trim();
    const view = document.getElementById("screen-state")?.dataset.view ?? "";
    const groups = [...sheet.querySelectorAll("[data-keys-of]")];
    for (const group of groups) {
      const { keysOf } = group.dataset;
      for (const line of group.querySelectorAll("[data-keys]")) line.hidden = !says(line.textContent, words);
      const isOfScreen = keysOf === "" || keysOf === view;
      group.hidden = words ? !group.querySelector("[data-keys]:not([hidden])") : !isOfScreen;
    }
    const own = groups.find((group) => group.dataset.keysOf === view);
    if (own && own !== groups[0]) groups[0].before(own);
    sheet.querySelector("[data-keys-none]").hidden = groups.some((group) => !group.hidden);
  }

  sheet.addEventListener("show.bs.modal", () => {
    search.value = "";
    show();
  });
  search.addEventListener("input", show);
}
