"""What the model says of a source in a section: how wet it is, and through which returns."""

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass


@dataclass(frozen=True, slots=True, kw_only=True)
class Reading:
    """One source in one section, or in the whole song where `section` is None.

    dry_power: K-weighted, at main; None where the source is silent. by_return: the wet power through each return that it
    reaches, by id. together: the power of all of them over their sum. is_measured: whether the source was rendered alone.
    """

    source: str
    section: str | None
    dry_power: float | None
    by_return: Mapping[str, float]
    together: float = 1.0
    is_measured: bool = False

    @property
    def wet_power(self) -> float:
        """The power of all returns together."""
        return sum(self.by_return.values()) * self.together

    @property
    def wet_db(self) -> float | None:
        """Wet over dry power in dB; -inf for a source without space, None for a silent one."""
        return None if self.dry_power is None else ratio_db(self.wet_power, self.dry_power)

    @property
    def by_return_db(self) -> dict[str, float]:
        """The wet power through each return over the dry one in dB; nothing for a silent source."""
        if self.dry_power is None:
            return {}
        return {key: ratio_db(power, self.dry_power) for key, power in self.by_return.items() if power > 0}


def together(source: str, members: Sequence[Reading]) -> Reading:
    """Return the reading of a group for those of its tracks in one place: their sums."""
    heard = [reading for reading in members if reading.dry_power is not None]
    by_return: dict[str, float] = {}
    for reading in heard:
        for return_id, power in reading.by_return.items():
            by_return[return_id] = by_return.get(return_id, 0.0) + power
    total = sum(by_return.values())
    return Reading(
        source=source,
        section=members[0].section if members else None,
        dry_power=sum(reading.dry_power or 0.0 for reading in heard) or None,
        by_return=by_return,
        together=sum(reading.wet_power for reading in heard) / total if total else 1.0,
        is_measured=bool(heard) and all(reading.is_measured for reading in heard),
    )


def ratio_db(wet: float, dry: float) -> float:
    """Return a ratio of powers in dB; -inf for no wet."""
    return 10 * math.log10(wet / dry) if wet > 0 else -math.inf
