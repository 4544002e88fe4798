// Going from view to view: the rail follows the sheet, notices close, failures are said.

function markView() {
  const view = document.getElementById("screen-state")?.dataset.view;
  for (const link of document.querySelectorAll("[data-view]:is(a)")) {
    if (link.dataset.view === view) link.setAttribute("aria-current", "page");
    else link.removeAttribute("aria-current");
  }
}

export function say(text) {
  const notice = document.createElement("div");
  notice.className = "notice";
  notice.setAttribute("role", "alert");
  const words = document.createElement("span");
  words.textContent = text;
  const close = document.createElement("button");
  close.type = "button";
  close.className = "button";
  close.dataset.dismiss = "";
  close.textContent = "Close";
  notice.append(words, close);
  document.getElementById("notices").replaceChildren(notice);
}

export function bindScreens() {
  document.addEventListener("htmx:afterSettle", markView);
  document.addEventListener("htmx:afterSwap", (event) => {
    if (event.target.id !== "notices" && event.detail.xhr.status === 200) document.getElementById("notices").replaceChildren();
  });
  document.addEventListener("htmx:sendError", () => say("High Hall does not answer. Nothing is lost; try again in a moment."));
  document.addEventListener("htmx:responseError", () => say("That did not work. Nothing was changed; reload the page and try again."));
  document.addEventListener("click", (event) => {
    event.target.closest("[data-dismiss]")?.closest(".notice").remove();
    if (event.target.closest("[data-keys-toggle]")) toggleKeys();
  });
}

export function toggleKeys() {
  const sheet = document.getElementById("keys");
  if (sheet.open) sheet.close();
  else sheet.showModal();
}
