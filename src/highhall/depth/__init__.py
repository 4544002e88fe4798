"""Depth: how far away every source sounds in every section, from its stem and the plan, without rendering."""

from highhall.depth.model import DepthModel
from highhall.depth.readings import Reading
from highhall.depth.sources import SourceSound, sounds_of
from highhall.depth.stem_table import StemTable

__all__ = ["DepthModel", "Reading", "SourceSound", "StemTable", "sounds_of"]
