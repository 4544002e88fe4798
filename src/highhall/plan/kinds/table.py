"""All kinds of effect, by name."""

from collections.abc import Mapping

from highhall.plan.kinds import colours, dynamics, echoes, filters, impulses, spaces, voices
from highhall.plan.kinds.parameter import Kind

_TABLE = (*spaces.KINDS, *impulses.KINDS, *echoes.KINDS, *voices.KINDS, *colours.KINDS, *filters.KINDS, *dynamics.KINDS)

KINDS: Mapping[str, Kind] = {kind.name: kind for kind in _TABLE}
