"""What lies in a print along the song: its sections and its throws, as labels."""

from collections.abc import Iterator

from highhall.interchange.broadcast_wave import Label
from highhall.plan import Move, Plan, SendTarget


def labels_of(plan: Plan, start: int, end: int) -> list[Label]:
    """Return the labels between two samples of the song, counted from the first of them, in their order.

    A section that has begun before is at the very start.
    """
    time, found = plan.song.time, []
    for section in plan.song.sections:
        first, last = time.sample_at(section.start), time.sample_at(section.end)
        if first < end and last > start:
            found.append(Label(max(first - start, 0), section.name))
    names = plan.names
    for move in plan.moves:
        name = _named(move, names)
        for throw in move.throws:
            sample = time.sample_at(throw.at)
            if start <= sample < end:
                found.append(Label(sample - start, f"Throw {name}"))
    return sorted(found, key=lambda label: label.sample)


def _named(move: Move, names: dict[str, str]) -> str:
    target = names[move.target.target]
    return f"{names[move.target.source]} to {target}" if isinstance(move.target, SendTarget) else target


def sections_at(plan: Plan, start: int, end: int) -> Iterator[str]:
    """Yield the names of the sections that are exactly between two samples."""
    time = plan.song.time
    for section in plan.song.sections:
        if (time.sample_at(section.start), time.sample_at(section.end)) == (start, end):
            yield section.name
