"""All kinds of finding, by name, one module each."""

from collections.abc import Mapping
from types import MappingProxyType

from highhall.findings.finding import Kind
from highhall.findings.kinds import (
    bass_in_space,
    clips,
    decay_too_long,
    dry_leaks,
    echo_off_grid,
    feedback_runs_on,
    front_pushed_back,
    group_in_two_rooms,
    group_lowered_space_stays,
    harsh_return,
    low_mids_build_up,
    mono_loss,
    never_heard,
    pre_send_of_muted,
    source_already_wet,
    stem_lacks_space,
    sudden_depth,
    tail_spills,
    too_wet,
    twin_returns,
    unfed_return,
)

_MODULES = (
    clips,
    feedback_runs_on,
    tail_spills,
    front_pushed_back,
    too_wet,
    sudden_depth,
    low_mids_build_up,
    harsh_return,
    bass_in_space,
    mono_loss,
    dry_leaks,
    decay_too_long,
    echo_off_grid,
    pre_send_of_muted,
    group_lowered_space_stays,
    group_in_two_rooms,
    stem_lacks_space,
    source_already_wet,
    unfed_return,
    twin_returns,
    never_heard,
)

KINDS: Mapping[str, Kind] = MappingProxyType({module.KIND.name: module.KIND for module in _MODULES})
