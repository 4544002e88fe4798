// When the plan of another section is drawn, every source walks from where it was to where it is: position only.

const DURATION_MS = 450;
let before = new Map();

/** Return by source how far each place is from the one before, [dx, dy]; those that are new or stayed are left out. */
export function ways(from, to) {
  const moved = [...to].map(([source, [x, y]]) => [source, from.get(source)?.map((at, index) => at - [x, y][index])]);
  return new Map(moved.filter(([, way]) => way && Math.hypot(...way) >= 1));
}

function tokens() {
  return [...document.querySelectorAll(".hall-plan [data-token]")];
}

function places() {
  return new Map(tokens().map(({ dataset }) => [dataset.token, [Number(dataset.x), Number(dataset.y)]]));
}

function walk() {
  const moved = ways(before, places());
  for (const token of tokens()) {
    const way = moved.get(token.dataset.token);
    if (way) token.animate([{ transform: `translate(${way[0]}px, ${way[1]}px)` }, { transform: "none" }], { duration: DURATION_MS, easing: "ease-in-out" });
  }
}

export function bindMotion() {
  const still = window.matchMedia("(prefers-reduced-motion: reduce)");
  document.addEventListener("htmx:beforeSwap", () => {
    before = places();
  });
  document.addEventListener("htmx:afterSwap", () => {
    if (!still.matches) walk();
    before = new Map();
  });
}
