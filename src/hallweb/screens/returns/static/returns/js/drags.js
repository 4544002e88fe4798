// From a place in a picture to the text of a value. Pure.

import { written } from "../../common/js/figures.js";

function rounded(value, drag, isFree) {
  if (drag.isLog) return Number(value.toPrecision(drag.step + (isFree ? 1 : 0)));
  const step = isFree ? drag.step / 10 : drag.step;
  return Number((Math.round(value / step) * step).toFixed(6));
}

/** Return the text of the value at a place in px; led to the nearest snap within `reach` px unless it is free. */
export function textAt(drag, px, isFree, reach = Infinity) {
  if (!isFree && drag.snaps.length) {
    const nearest = drag.snaps.reduce((best, snap) => (Math.abs(snap[0] - px) < Math.abs(best[0] - px) ? snap : best));
    if (Math.abs(nearest[0] - px) <= reach) return nearest[1];
  }
  const share = px / drag.size;
  const value = drag.isLog ? drag.start * (drag.end / drag.start) ** share : drag.start + (drag.end - drag.start) * share;
  return `${written(String(rounded(value, drag, isFree)))}${drag.unit ? ` ${drag.unit}` : ""}`;
}
