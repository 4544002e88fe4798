"""From a room to an impulse response: a sweep to play, what it becomes in a simulated room, and the way back."""

from highhall.capture.examples import example_response
from highhall.capture.recording import CapturedResponse, capture_response
from highhall.capture.room import ROOMS, Room
from highhall.capture.sweep import Sweep

__all__ = ["ROOMS", "CapturedResponse", "Room", "Sweep", "capture_response", "example_response"]
