"""High Hall's core: the depth of a song as a plan, and sound as a function of that plan."""

__version__ = "0.1.0"
