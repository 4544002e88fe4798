// A button that is swapped out while it is held down is pressed all the same, where it stands now: the browser would forget it.

const PRESSED = "button, a[href], [role=button], input[type=checkbox]";
const nameOf = (element) => element.getAttribute("aria-label") ?? element.textContent.trim();

let held = null;

export function bindPresses() {
  document.addEventListener("pointerdown", ({ target, button }) => {
    held = button ? null : target.closest?.(PRESSED);
  });
  document.addEventListener("pointerup", ({ clientX, clientY, shiftKey, altKey, ctrlKey, metaKey }) => {
    const was = held;
    held = null;
    if (!was || was.isConnected) return;
    const now = document.elementFromPoint(clientX, clientY)?.closest(PRESSED);
    if (now?.tagName !== was.tagName || nameOf(now) !== nameOf(was)) return;
    now.dispatchEvent(new MouseEvent("click", { bubbles: true, cancelable: true, shiftKey, altKey, ctrlKey, metaKey }));
  });
}
