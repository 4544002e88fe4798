// Edits go one after another, so that each states the revision that the one before has made.
// What waits in an element that was swapped out meanwhile is left: fields.js sends it from the new one.

const waiting = [];
let isBusy = false;

function isEdit(detail) {
  return (detail.verb ?? detail.requestConfig?.verb) === "post";
}

function next() {
  isBusy = false;
  while (waiting.length) {
    const { elt, issueRequest } = waiting.shift();
    if (!document.contains(elt)) continue;
    isBusy = true;
    issueRequest(true);
    return;
  }
}

export function bindEdits() {
  document.addEventListener("htmx:confirm", (event) => {
    if (!isEdit(event.detail)) return;
    if (isBusy) {
      event.preventDefault();
      waiting.push(event.detail);
    }
    isBusy = true;
  });
  // Told by the request itself: an element that is gone by then tells nobody.
  document.addEventListener("htmx:beforeRequest", (event) => {
    if (isEdit(event.detail)) event.detail.xhr.addEventListener("loadend", next);
  });
}
