// Stems by drop or dialog: two at a time, with progress, each cancellable; then made into tracks as one edit.

const AT_ONCE = 2;

function row(file) {
  const item = document.createElement("li");
  const name = Object.assign(document.createElement("span"), { className: "upload-name", textContent: file.name, title: file.name });
  const bar = Object.assign(document.createElement("progress"), { max: 1, value: 0 });
  bar.setAttribute("aria-label", `Progress of ${file.name}`);
  const words = Object.assign(document.createElement("span"), { textContent: "waiting" });
  const cancel = Object.assign(document.createElement("button"), { type: "button", className: "button", textContent: "Cancel" });
  item.append(name, bar, words, cancel);
  return { item, bar, words, cancel };
}

function send(file, url, token, shown) {
  return new Promise((done) => {
    const request = new XMLHttpRequest();
    shown.cancel.addEventListener("click", () => request.abort());
    const refuse = (text) => {
      shown.words.textContent = text;
      shown.item.classList.add("is-refused");
      shown.cancel.remove();
      done(false);
    };
    request.upload.addEventListener("progress", (event) => {
      shown.bar.value = event.loaded / event.total;
      shown.words.textContent = `${Math.round((100 * event.loaded) / event.total)} %`;
    });
    request.addEventListener("load", () => {
      if (request.status !== 200) return refuse(request.response?.error ?? `It could not be stored (${request.status}). Send it again.`);
      shown.item.remove();
      done(true);
    });
    request.addEventListener("error", () => refuse("The connection broke. Send it again."));
    request.addEventListener("abort", () => refuse("Cancelled."));
    request.open("POST", url);
    request.responseType = "json";
    request.setRequestHeader("X-CSRFToken", token);
    request.setRequestHeader("X-File-Name", encodeURIComponent(file.name));
    request.setRequestHeader("Content-Type", "application/octet-stream");
    request.send(file);
  });
}

async function bringIn(files) {
  const zone = document.querySelector("[data-stem-drop]");
  if (!zone || !files.length) return;
  const { uploadUrl, takeUrl } = zone.dataset;
  const token = JSON.parse(document.querySelector("[hx-headers]").getAttribute("hx-headers"))["X-CSRFToken"];
  const list = zone.querySelector("[data-uploads]");
  const waiting = [...files].map((file) => ({ file, shown: row(file) }));
  list.replaceChildren(...waiting.map(({ shown }) => shown.item));
  let arrived = 0;
  const work = async () => {
    for (let next = waiting.shift(); next; next = waiting.shift()) {
      if (await send(next.file, uploadUrl, token, next.shown)) arrived++;
    }
  };
  await Promise.all(Array.from({ length: AT_ONCE }, work));
  if (!arrived) return;
  const refused = [...list.children];
  const revision = document.querySelector("#history [name=revision]").value;
  await window.htmx.ajax("POST", takeUrl, { source: "#history", target: "#sheet", swap: "innerHTML", values: { revision } });
  document.querySelector("[data-uploads]")?.append(...refused);
}

export function bindUploads() {
  document.addEventListener("change", (event) => {
    if (!event.target.matches("[data-stem-files]")) return;
    bringIn(event.target.files);
  });
  for (const kind of ["dragover", "dragleave", "drop"]) {
    document.addEventListener(kind, (event) => {
      const zone = event.target.closest?.("[data-stem-drop]");
      if (!zone) return;
      event.preventDefault();
      zone.classList.toggle("is-over", kind === "dragover");
      if (kind === "drop") bringIn(event.dataTransfer.files);
    });
  }
}
