// Findings on other screens: a triangle with its number where a return or a source stands, which opens it.

const SVG = `<svg class="triangle" width="22" height="20" viewBox="0 0 26 24" aria-hidden="true"><path d="M13 2L24.5 22H1.5Z"/><text x="13" y="19" text-anchor="middle"></text></svg>`;

/** Return the marks that belong to an element which stands for a source, a return, or a send between them. */
export function marksFor(marks, { source = "", target = "" }) {
  if (source && target) return marks.filter((mark) => mark.source === source && mark.target === target);
  if (source) return marks.filter((mark) => mark.source === source && !mark.target);
  return marks.filter((mark) => target && mark.target === target);
}

/** Return what a row of moves is about, from its key: send:SOURCE:TARGET:... or return:ID:... */
export function ofMove(key) {
  const [what, first, second] = key.split(":");
  return what === "send" ? { source: first, target: second } : { target: first };
}

function known() {
  const list = document.getElementById("finding-marks")?.content.querySelectorAll("[data-finding]") ?? [];
  return [...list].map(({ dataset, title }) => ({ id: dataset.finding, number: dataset.number, source: dataset.source, target: dataset.return, word: dataset.word, title }));
}

/** Yield what stands for a source, a return or a send: rows and heads that say so, and rows of moves by their keys. */
function* standing() {
  for (const element of document.querySelectorAll("[data-marks-source], [data-marks-return]")) {
    yield [element, { source: element.dataset.marksSource, target: element.dataset.marksReturn }];
  }
  for (const row of document.querySelectorAll("[data-move-row]")) yield [row.querySelector(".move-head"), ofMove(row.dataset.moveRow)];
}

function place() {
  const marks = known();
  const address = document.getElementById("finding-count")?.dataset.findings;
  for (const old of document.querySelectorAll(".finding-mark")) old.remove();
  if (!address) return;
  for (const [element, what] of standing()) {
    for (const mark of marksFor(marks, what)) {
      const link = document.createElement("a");
      link.className = "finding-mark";
      link.href = `${address}?open=${encodeURIComponent(mark.id)}`;
      link.title = `Finding ${mark.number}: ${mark.title}`;
      link.innerHTML = SVG;
      link.firstElementChild.classList.add(`is-${mark.word}`);
      link.querySelector("text").textContent = mark.number;
      link.setAttribute("aria-label", link.title);
      element.append(link);
    }
  }
}

export function bindMarks() {
  document.addEventListener("htmx:afterSettle", place);
}
