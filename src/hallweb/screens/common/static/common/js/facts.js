// What the server tells scripts: the scale of levels, the ladder of note values, the pan law, the true-peak filter.

export let facts = globalThis.document ? JSON.parse(document.getElementById("facts").textContent) : {};

/** Use other facts: for tests, where there is no page. */
export function useFacts(others) {
  facts = others;
}
