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

function link(mark, more) {
  const found = document.createElement("a");
  found.className = "finding-mark";
  found.href = `${document.getElementById("finding-count").dataset.findings}?open=${encodeURIComponent(mark.id)}`;
  found.title = `Finding ${mark.number}: ${mark.title}${more ? `, and ${more} more` : ""}`;
  found.setAttribute("aria-label", found.title);
  found.innerHTML = SVG;
  found.firstElementChild.classList.add(`is-${mark.word}`);
  found.querySelector("text").textContent = mark.number;
  if (more) found.append(`+${more}`);
  return found;
}

/** Put one mark where something stands that findings are about: the most severe, and how many more there are. */
function place() {
  for (const old of document.querySelectorAll(".finding-mark")) old.remove();
  const marks = known();
  for (const [element, what] of marks.length ? standing() : []) {
    const [first, ...more] = marksFor(marks, what);
    if (first) element.append(link(first, more.length));
  }
}

export function bindMarks() {
  document.addEventListener("htmx:afterSettle", place);
}
