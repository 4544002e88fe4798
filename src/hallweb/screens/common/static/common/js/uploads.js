// Sound files on their way in: two at a time, in parts, each cancellable; what broke off goes on where it was.

import { token } from "./requests.js";

const AT_ONCE = 2;
const PART_BYTES = 4 << 20;
const CHOICES = { "first-pair": "Take the first pair", "fold-down": "Fold down to stereo" };

function button(text) {
  return Object.assign(document.createElement("button"), { type: "button", className: "btn", textContent: text });
}

function row(file) {
  const item = document.createElement("li");
  const name = Object.assign(document.createElement("span"), { className: "fw-medium text-truncate", textContent: file.name, title: file.name });
  const bar = Object.assign(document.createElement("progress"), { max: 1, value: 0 });
  bar.setAttribute("aria-label", `Progress of ${file.name}`);
  const words = Object.assign(document.createElement("span"), { textContent: "waiting" });
  const ways = Object.assign(document.createElement("span"), { className: "hstack gap-2" });
  item.append(name, bar, words, ways);
  return { item, bar, words, ways };
}

/** Send a request whose answer comes as JSON, unless another type is said; resolve to { status, ...answer }. */
export function post(url, body, { headers = {}, onProgress, signal, responseType = "json" } = {}) {
  return new Promise((done, fail) => {
    const request = new XMLHttpRequest();
    request.open("POST", url);
    request.responseType = responseType;
    request.setRequestHeader("X-CSRFToken", token());
    for (const [name, value] of Object.entries(headers)) request.setRequestHeader(name, value);
    if (onProgress) request.upload.addEventListener("progress", (event) => onProgress(event.loaded));
    request.addEventListener("load", () => done({ status: request.status, ...(responseType === "json" ? request.response : {}) }));
    request.addEventListener("error", () => fail(new Error("The connection broke. Bring the file in again and it goes on from there.")));
    request.addEventListener("abort", () => fail(new Error("Cancelled.")));
    signal?.addEventListener("abort", () => request.abort());
    request.send(body);
  });
}

function hex(bytes) {
  return Array.from(new Uint8Array(bytes), (byte) => byte.toString(16).padStart(2, "0")).join("");
}

/** Return the SHA-256 of the SHA-256 of each part of a file, as the server makes it; "" where the browser has none. */
async function digestOf(file) {
  if (!globalThis.crypto?.subtle) return "";
  const digests = [];
  for (let from = 0; from < file.size; from += PART_BYTES) {
    const part = await file.slice(from, from + PART_BYTES).arrayBuffer();
    digests.push(new Uint8Array(await crypto.subtle.digest("SHA-256", part)));
  }
  return hex(await crypto.subtle.digest("SHA-256", await new Blob(digests).arrayBuffer()));
}

/** Return a form of values by name; a list is several values of one name. */
export function formOf(values) {
  const form = new FormData();
  for (const [name, value] of Object.entries(values)) for (const each of [value].flat()) form.append(name, each);
  return form;
}

function refusal(answer) {
  return new Error(answer.error ?? `It could not be stored (${answer.status}). Send it again.`);
}

async function sendParts(file, url, start, shown, signal) {
  let sent = start;
  while (sent < file.size) {
    const from = sent;
    const answer = await post(url, file.slice(from, from + PART_BYTES), {
      headers: { "X-Offset": String(from), "Content-Type": "application/octet-stream" },
      signal,
      onProgress: (loaded) => {
        shown.bar.value = (from + loaded) / file.size;
        shown.words.textContent = `${Math.round((100 * (from + loaded)) / file.size)} %`;
      },
    });
    if (answer.status !== 200) throw refusal(answer);
    sent = answer.received;
  }
}

/** Wait for the user to choose what becomes of a file of many channels; null leaves it out. */
function chosenChannels(shown, text) {
  shown.words.textContent = text;
  return new Promise((done) => {
    for (const [value, words] of [...Object.entries(CHOICES), [null, "Leave it out"]]) {
      const way = button(words);
      way.addEventListener("click", () => done(value), { once: true });
      shown.ways.append(way);
    }
    shown.ways.querySelector("button").focus();
  });
}

/** Bring one file in; resolve to what it has become, or throw an Error that says in a sentence why not. */
async function bring(file, shown, url) {
  const stopper = new AbortController();
  const cancel = button("Cancel");
  shown.ways.replaceChildren(cancel);
  const digest = digestOf(file).catch(() => ""); // what cannot be read is told where it is sent
  const about = formOf({ name: file.name, size: file.size, modified: file.lastModified });
  const opened = await post(url, about, { signal: stopper.signal });
  if (opened.status !== 200) throw refusal(opened);
  const own = opened.url;
  cancel.addEventListener("click", () => {
    stopper.abort();
    post(`${own}drop/`, null);
  });
  await sendParts(file, own, opened.received, shown, stopper.signal);
  shown.words.textContent = "checking it";
  const read = { digest: await digest };
  let answer = await post(`${own}finish/`, formOf(read), { signal: stopper.signal });
  if (answer.channels) {
    cancel.remove();
    const channels = await chosenChannels(shown, answer.error);
    shown.ways.replaceChildren();
    if (!channels) {
      await post(`${own}drop/`, null);
      throw new Error("Left out.");
    }
    answer = await post(`${own}finish/`, formOf({ ...read, channels }));
  }
  if (answer.status !== 200) throw refusal(answer);
  return answer;
}

function refuse(shown, text) {
  shown.words.textContent = text;
  shown.item.classList.add("is-refused");
  const close = button("Close");
  close.addEventListener("click", () => shown.item.remove());
  shown.ways.replaceChildren(close);
}

/** Bring files in, shown in a list; resolve to what they have become, and the rows of those that were refused. */
export async function bringAll(files, list, url) {
  const waiting = [...files].map((file) => ({ file, shown: row(file) }));
  list.replaceChildren(...waiting.map(({ shown }) => shown.item));
  const brought = [];
  const work = async () => {
    for (let next = waiting.shift(); next; next = waiting.shift()) {
      try {
        brought.push(await bring(next.file, next.shown, url));
        next.shown.item.remove();
      } catch (error) {
        refuse(next.shown, error.message);
      }
    }
  };
  await Promise.all(Array.from({ length: AT_ONCE }, work));
  return { brought, refused: [...list.children] };
}

/** Take files that are dropped on what a selector matches; it shows that while they are over it. */
export function onFilesDropped(selector, take) {
  for (const kind of ["dragover", "dragleave", "drop"]) {
    document.addEventListener(kind, (event) => {
      const zone = event.target.closest?.(selector);
      if (!zone || !event.dataTransfer?.types.includes("Files")) return;
      event.preventDefault();
      zone.classList.toggle("is-over", kind === "dragover");
      if (kind === "drop") take([...event.dataTransfer.files]);
    });
  }
}
