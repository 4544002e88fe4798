"""Depth: how far away every source sounds in every section, from its stem and the plan, without rendering."""

from highhall.depth.model import DepthModel
from highhall.depth.readings import Reading
from highhall.depth.song import SongSounds
from highhall.depth.sources import SourceSound, sounds_of

__all__ = ["DepthModel", "Reading", "SongSounds", "SourceSound", "sounds_of"]
