// News of the song, a word each: a stream brings them while the page is seen. Where there is no stream, the clock says that there may be some.

const AGAIN_MS = 5000;
const WITHOUT_MS = 1000;
const SOUND_FIRST_MS = 100;
const MOST_TIMES = 30;
const EVERYTHING = "everything";

let stream = null;
let lastTried = -Infinity;
let isSoundAwaited = () => false;
const heardAt = new Map(); // when a word came last
const askedAt = new WeakMap(); // when htmx sent a request

function isOpen() {
  return stream?.readyState === EventSource.OPEN;
}

function wake(element) {
  element.dispatchEvent(new CustomEvent("news"));
}

/** Tell a word to those who wait for it: they will ask the server, which has the sound of an edit to make first. */
function tell(word, times = 0) {
  if (times < MOST_TIMES && isSoundAwaited()) return setTimeout(() => tell(word, times + 1), SOUND_FIRST_MS);
  heardAt.set(word, performance.now());
  document.querySelectorAll(word === EVERYTHING ? "[data-news]" : `[data-news~="${CSS.escape(word)}"]`).forEach(wake);
  document.dispatchEvent(new CustomEvent("song-news", { detail: word }));
}

function open() {
  lastTried = performance.now();
  stream = new EventSource(`${document.getElementById("history").dataset.newestUrl}stream/`);
  stream.addEventListener("open", () => tell(EVERYTHING)); // what came while nobody listened
  stream.addEventListener("message", ({ data }) => tell(data));
}

// What begins to wait may have been asked for before a word came that it waits for, and drawn after.
function catchUp({ detail: { elt, requestConfig } }) {
  const since = askedAt.get(requestConfig);
  const isLate = (element) => element.dataset.news.split(" ").some((word) => heardAt.get(word) > since);
  [elt, ...elt.querySelectorAll("[data-news]")].filter((element) => element.dataset.news && isLate(element)).forEach(wake);
}

function close() {
  stream?.close();
  stream = null;
}

function tick() {
  if (document.hidden) return;
  const isOver = !stream || stream.readyState === EventSource.CLOSED;
  if (isOver && performance.now() - lastTried > AGAIN_MS) open();
  if (!isOpen()) tell(EVERYTHING);
}

/** Whether a word concerns somebody who waits for `wanted`. */
export function concerns(word, wanted) {
  return word === wanted || word === EVERYTHING;
}

/** Listen to news of the song; they wait while `awaitsSound` says that an edit is not heard yet. */
export function bindNews(awaitsSound) {
  isSoundAwaited = awaitsSound;
  document.addEventListener("htmx:beforeRequest", ({ detail }) => askedAt.set(detail.requestConfig, performance.now()));
  document.addEventListener("htmx:afterSettle", catchUp);
  document.addEventListener("visibilitychange", () => (document.hidden ? close() : tick())); // few connections are open at once over HTTP/1.1
  window.addEventListener("pagehide", close);
  setInterval(tick, WITHOUT_MS);
  open();
}
