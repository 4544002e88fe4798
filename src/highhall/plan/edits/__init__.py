"""Edits: small named functions from one plan to the next, used by web, command line and findings.

Each returns a checked plan, or raises and leaves the plan that was given as it is.
"""

from highhall.plan.edits.basics import checked, free_name, id_from_name
from highhall.plan.edits.many_sends import (
    add_return_for,
    change_sends,
    clear_sends,
    nudge_sends,
    scale_sends,
    send_level,
    set_levels,
)
from highhall.plan.edits.moves import clear_section_value, set_section_value
from highhall.plan.edits.returns import (
    add_return,
    add_step,
    copy_return,
    place_return,
    place_step,
    remove_return,
    remove_step,
    set_return,
    set_step,
    step_of_kind,
    swap_sides,
)
from highhall.plan.edits.sections import (
    add_section,
    move_section,
    open_stretch,
    remove_section,
    rename_section,
    split_section,
)
from highhall.plan.edits.sends import remove_send, set_send
from highhall.plan.edits.time import (
    end_at,
    lengthen,
    put_meter,
    put_tempo,
    remove_meter,
    remove_tempo,
    set_sections,
    take_map,
)
from highhall.plan.edits.tracks import (
    add_group,
    add_tracks,
    nudge_levels,
    place_tracks,
    remove_group,
    remove_tracks,
    set_group,
    set_tracks,
)

__all__ = [
    "add_group",
    "add_return",
    "add_return_for",
    "add_section",
    "add_step",
    "add_tracks",
    "change_sends",
    "checked",
    "clear_section_value",
    "clear_sends",
    "copy_return",
    "end_at",
    "free_name",
    "id_from_name",
    "lengthen",
    "move_section",
    "nudge_levels",
    "nudge_sends",
    "open_stretch",
    "place_return",
    "place_step",
    "place_tracks",
    "put_meter",
    "put_tempo",
    "remove_group",
    "remove_meter",
    "remove_return",
    "remove_section",
    "remove_send",
    "remove_step",
    "remove_tempo",
    "remove_tracks",
    "rename_section",
    "scale_sends",
    "send_level",
    "set_group",
    "set_levels",
    "set_return",
    "set_section_value",
    "set_sections",
    "set_send",
    "set_step",
    "set_tracks",
    "split_section",
    "step_of_kind",
    "swap_sides",
    "take_map",
]
