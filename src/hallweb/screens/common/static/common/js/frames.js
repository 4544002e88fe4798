// Draws what moves with the sound: about thirty times a second while it plays, once when something has changed, and never at rest.

const REST_MS = 26; // every second frame of most screens is not even asked for: on a slow machine painting would keep edits waiting

const due = new Set();
let isWaiting = false; // for a frame, or for the rest after it

/** Draw with the next frame, at the earliest some time after the last one that was drawn: all that is due in the same frame. */
function askFor(draw) {
  due.add(draw);
  if (isWaiting) return;
  isWaiting = true;
  requestAnimationFrame(drawAll);
}

function drawAll() {
  const draws = [...due];
  due.clear();
  setTimeout(goOn, REST_MS);
  for (const draw of draws) {
    try {
      draw();
    } catch (error) {
      reportError(error); // the others are drawn all the same
    }
  }
}

function goOn() {
  isWaiting = due.size > 0;
  if (isWaiting) requestAnimationFrame(drawAll);
}

/**
 * Call `draw` about thirty times a second while the song plays, or as long as it returns true, and whenever the page has changed.
 * Return what asks for one more drawing.
 */
export function eachFrame(player, draw) {
  const frame = () => {
    if (draw() === true || player.isPlaying) ask();
  };
  const ask = () => askFor(frame);
  for (const name of ["state", "manifest"]) player.addEventListener(name, ask);
  document.addEventListener("htmx:afterSettle", ask);
  ask();
  return ask;
}
