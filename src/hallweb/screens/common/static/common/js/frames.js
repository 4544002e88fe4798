// Draws what moves with the sound: frame by frame while it plays, once when something has changed, and never at rest.

/**
 * Call `draw` before every frame while the song plays, or as long as it returns true, and whenever the page has changed.
 * Return what asks for one more frame.
 */
export function eachFrame(player, draw) {
  let isAsked = false;
  const ask = () => {
    if (!isAsked) requestAnimationFrame(frame);
    isAsked = true;
  };
  const frame = () => {
    isAsked = false;
    if (draw() === true || player.isPlaying) ask();
  };
  for (const name of ["state", "manifest"]) player.addEventListener(name, ask);
  document.addEventListener("htmx:afterSettle", ask);
  ask();
  return ask;
}
