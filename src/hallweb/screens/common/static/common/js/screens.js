// Going from view to view: the rail follows the page, notices close, failures are said.

function markView() {
  const view = document.getElementById("screen-state")?.dataset.view;
  for (const link of document.querySelectorAll("[data-view]:is(a)")) {
    if (link.dataset.view === view) link.setAttribute("aria-current", "page");
    else link.removeAttribute("aria-current");
  }
}

export function say(text) {
  const notice = document.getElementById("notice").content.cloneNode(true);
  notice.querySelector("[data-words]").textContent = text;
  document.getElementById("notices").replaceChildren(notice);
}

// What a screen has asked for to read is of no use when it is no longer there to show it.
function forgetIfGone({ detail: { elt, requestConfig } }) {
  if (requestConfig.verb !== "get") return;
  const check = (event) => {
    if (!document.contains(elt)) event.preventDefault();
  };
  elt.addEventListener("htmx:beforeOnLoad", check, { once: true });
}

/** Draw the open page anew, with what of it is open and chosen. */
export function drawAgain() {
  const values = Object.fromEntries([...document.querySelectorAll("#screen-state input, #strip-state input, #play-at")].map(({ name, value }) => [name, value]));
  return window.htmx.ajax("GET", window.location.pathname, { source: "#edits", target: "#page", swap: "innerHTML", values });
}

// Times in milliseconds are other ones at another tempo.
function followTempo() {
  if (document.getElementById("screen-state")?.dataset.view === "returns") drawAgain();
}

/** Say that an answer did not come, or was none. */
export function bindFailures() {
  document.addEventListener("htmx:sendError", () => say("High Hall does not answer. Nothing is lost; try again in a moment."));
  document.addEventListener("htmx:responseError", () => say("That did not work. Nothing was changed; reload the page and try again."));
}

export function bindScreens() {
  document.addEventListener("tempo-changed", followTempo);
  document.addEventListener("htmx:afterSettle", markView);
  document.addEventListener("htmx:beforeRequest", forgetIfGone);
  document.addEventListener("htmx:afterSwap", (event) => {
    const isNews = event.detail.requestConfig?.verb === "post" || event.target.id === "page"; // not what a strip asks for by itself
    if (event.target.id !== "notices" && isNews && event.detail.xhr.status === 200) document.getElementById("notices").replaceChildren();
  });
  bindFailures();
}
