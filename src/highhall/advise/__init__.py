"""What High Hall proposes: values that fit the song, each with the figure it follows from."""

from highhall.advise.build_up import LOW_MIDS, build_up_db
from highhall.advise.fits import DecayFit, gap_left_s, longest_decays
from highhall.advise.grid import NearMiss, near_miss

__all__ = ["LOW_MIDS", "DecayFit", "NearMiss", "build_up_db", "gap_left_s", "longest_decays", "near_miss"]
