// Edits that scripts send, as forms would: with the revision they were made on and what of the screen is open.

export function token() {
  return JSON.parse(document.querySelector("[hx-headers]").getAttribute("hx-headers"))["X-CSRFToken"];
}

const STATE = "#band-state input, #play-at, #linked-state";

/** Return what of the open band is chosen, as forms would send it. */
export function bandState() {
  return Object.fromEntries([...document.querySelectorAll(STATE)].map(({ name, value }) => [name, value]));
}

/** Post an edit and let the sheet be drawn anew. Revision and screen state are read when its turn has come. */
export function edit(url, values) {
  return window.htmx.ajax("POST", url, { source: "#edits", target: "#sheet", swap: "innerHTML", values });
}
