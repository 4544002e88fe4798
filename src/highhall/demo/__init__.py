"""The demo song "Lantern Over Skerry": invented, and made by our own small instruments."""

from highhall.demo.plan import demo_plan
from highhall.demo.stems import STEM_NAMES, write_stems

__all__ = ["STEM_NAMES", "demo_plan", "write_stems"]
