"""A ride of a control as few points: as many as a tolerance asks for, no more.

References
----------
D. Douglas, T. Peucker, "Algorithms for the reduction of the number of points required to represent a digitized line",
Cartographica 10(2), 1973; here the distance is that of the values, since points stand in time.
"""

from collections.abc import Sequence


def thinned(times: Sequence[float], values: Sequence[float], tolerance: float) -> list[int]:
    """Return the indices of the points that stay, the first and the last among them.

    Lines between them come no further than `tolerance` from any value that goes. `times` ascend.
    """
    if len(times) < 3:
        return list(range(len(times)))
    kept, open_spans = {0, len(times) - 1}, [(0, len(times) - 1)]
    while open_spans:
        first, last = open_spans.pop()
        slope = (values[last] - values[first]) / (times[last] - times[first])
        worst, distance = first, tolerance
        for index in range(first + 1, last):
            apart = abs(values[index] - values[first] - slope * (times[index] - times[first]))
            if apart > distance:
                worst, distance = index, apart
        if worst != first:
            kept.add(worst)
            open_spans += [(first, worst), (worst, last)]
    return sorted(kept)
