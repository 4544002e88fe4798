// Draws what moves with the sound: about thirty times a second while it plays, once when something has changed, and never at rest.
// While an edit is not heard yet, about eight times a second: on a machine that paints by itself drawing would keep it waiting.

const REST_MS = 26; // every second frame of most screens is not even asked for
const SOUND_FIRST_REST_MS = 110;

const due = new Set();
let isWaiting = false; // for a frame, or for the rest after it
let isSoundAwaited = () => false;

/** Draw less often while `awaitsSound` says that an edit is not heard yet. */
export function drawLessWhile(awaitsSound) {
  isSoundAwaited = awaitsSound;
}

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
  setTimeout(goOn, isSoundAwaited() ? SOUND_FIRST_REST_MS : REST_MS);
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
