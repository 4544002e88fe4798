"""The scale on which levels of sends are drawn: bars, pictures of moves, rides."""

LOWEST_DB, HIGHEST_DB = -36.0, 6.0


def share_of_scale(level_db: float | None) -> float:
    """Return how far up the scale a level lies, 0 to 1; None is silence."""
    if level_db is None:
        return 0.0
    return max(0.0, min(1.0, (level_db - LOWEST_DB) / (HIGHEST_DB - LOWEST_DB)))
