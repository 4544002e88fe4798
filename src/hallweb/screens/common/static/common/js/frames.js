// Draws what moves with the sound: thirty times a second while it plays, once when something has changed, and never at rest.

const LEAST_MS = 30; // every second frame of most screens: on a slow machine painting would keep edits waiting

let drawnAt = -Infinity;

/** Return whether a frame is drawn, and not left as it is: for all that is drawn the same frames. */
function isDrawn(at) {
  if (at - drawnAt >= LEAST_MS) drawnAt = at;
  return drawnAt === at;
}

/**
 * Call `draw` thirty times a second while the song plays, or as long as it returns true, and whenever the page has changed.
 * Return what asks for one more drawing.
 */
export function eachFrame(player, draw) {
  let isAsked = false;
  const ask = () => {
    if (!isAsked) requestAnimationFrame(frame);
    isAsked = true;
  };
  const frame = (at) => {
    if (!isDrawn(at)) {
      requestAnimationFrame(frame);
      return;
    }
    isAsked = false;
    if (draw() === true || player.isPlaying) ask();
  };
  for (const name of ["state", "manifest"]) player.addEventListener(name, ask);
  document.addEventListener("htmx:afterSettle", ask);
  ask();
  return ask;
}
