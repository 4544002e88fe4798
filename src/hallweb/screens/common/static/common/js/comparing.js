// Two versions by ear: A is what is there now, B the version that was chosen; openly, or blindly as X and Y.

const ROUNDS = 6;
const $ = (selector) => document.querySelector(selector);

export function bindComparing(player, matching) {
  let blind = null;

  function sideOf(button) {
    return blind ? (button === "a" ? blind.x : other(blind.x)) : button;
  }

  function other(side) {
    return side === "a" ? "b" : "a";
  }

  // In the bar: which of the two is heard, and by how much it was lowered; blindly neither names nor figures are told.
  function show() {
    const bar = $("[data-comparing]");
    bar.hidden = !player.compared;
    for (const button of bar.querySelectorAll("[data-side]")) {
      const { side } = button.dataset;
      button.textContent = blind ? (side === "a" ? "X" : "Y") : side.toUpperCase();
      button.setAttribute("aria-pressed", String(sideOf(side) === player.side));
      button.title = blind ? "" : side === "a" ? "A: what is there now (A)" : `B: ${player.comparedName} (B)`;
    }
    $("[data-match]").textContent = blind ? "blind, equally loud" : matching.note;
    const panel = $("[data-blind]");
    if (!panel) return;
    panel.querySelector("[data-blind-begin]").hidden = Boolean(blind);
    panel.querySelector("[data-blind-round]").hidden = !blind;
    if (blind) panel.querySelector("[data-blind-count]").textContent = `Round ${blind.done + 1} of ${ROUNDS}`;
    for (const button of panel.querySelectorAll("[data-blind-hear]")) button.setAttribute("aria-pressed", String(sideOf(button.dataset.blindHear) === player.side));
  }

  // The page of versions says which one is compared with.
  function follow() {
    const page = $("[data-compare-with]");
    if (page && page.dataset.compareWith !== (player.compared ?? "")) {
      blind = null;
      player.comparedName = page.dataset.compareName;
      player.compare(page.dataset.compareWith || null);
    }
    show();
  }

  function newRound() {
    blind.x = Math.random() < 0.5 ? "a" : "b";
    player.hear(sideOf("a"));
    show();
  }

  function decide(button) {
    blind.chosen += sideOf(button) === "b" ? 1 : 0;
    blind.done += 1;
    if (blind.done < ROUNDS) return newRound();
    const { chosen } = blind;
    blind = null;
    player.hear("a");
    const place = $("[data-verdict]");
    window.htmx.ajax("GET", `${place.dataset.verdict}?chosen=${chosen}&rounds=${ROUNDS}`, { target: place, swap: "innerHTML" });
    show();
  }

  document.addEventListener("click", ({ target }) => {
    const side = target.closest("[data-side]")?.dataset.side ?? target.closest("[data-blind-hear]")?.dataset.blindHear;
    if (side) player.hear(sideOf(side));
    const better = target.closest("[data-blind-better]")?.dataset.blindBetter;
    if (better && blind) decide(better);
    if (target.closest("[data-blind-begin]")) {
      blind = { done: 0, chosen: 0, x: "a" };
      $("[data-verdict]").replaceChildren();
      if (!player.isPlaying) player.play();
      newRound();
    }
    if (target.closest("[data-blind-stop]")) {
      blind = null;
      player.hear("a");
    }
  });
  document.addEventListener("htmx:afterSettle", follow);
  player.addEventListener("state", show);
  matching.addEventListener("change", show);
  follow();
}
