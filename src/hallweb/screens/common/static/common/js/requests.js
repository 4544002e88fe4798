// Edits that scripts send, as forms would: with the revision they were made on and what of the screen is open.

export function token() {
  return JSON.parse(document.querySelector("[hx-headers]").getAttribute("hx-headers"))["X-CSRFToken"];
}

const STATE = "#strip-state input, #play-at, #linked-state";

/** Return what of the open strip is chosen, as forms would send it. */
export function stripState() {
  return Object.fromEntries([...document.querySelectorAll(STATE)].map(({ name, value }) => [name, value]));
}

/** Post an edit and let the page be drawn anew. Revision and screen state are read when its turn has come. */
export function edit(url, values) {
  return window.htmx.ajax("POST", url, { source: "#edits", target: "#page", swap: "innerHTML", values });
}
