"""A plan for other programs: MIDI, tables, and impulse responses of its returns."""

from highhall.exports.midi import write_plan_midi
from highhall.exports.responses import SavedResponse, save_responses
from highhall.exports.tables import write_moves_csv, write_sends_csv, write_throws_csv

__all__ = [
    "SavedResponse",
    "save_responses",
    "write_moves_csv",
    "write_plan_midi",
    "write_sends_csv",
    "write_throws_csv",
]
