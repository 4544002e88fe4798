"""News of songs: in a word, what about a song is different now. Pages that show it ask again; `hallweb.asgi` brings them the word."""

from hallweb.songs.notifications import notify

CHANNEL = "song_news"

PLAN = "plan"
"""The song has another newest revision."""

STEMS = "stems"
"""A stem was analysed, or cannot be."""

MEASURED = "measured"
"""A measurement that a page has asked for is there."""


def tell(song_id: int, *words: str) -> None:
    """Tell all pages that show a song what is different, once the transaction is stored."""
    notify(CHANNEL, f"{song_id} {' '.join(words)}")


def of_stem(stem_id: int) -> str:
    """Return the word for a stem that was analysed, or cannot be."""
    return f"stem-{stem_id}"


def of_print(job_id: int) -> str:
    """Return the word for a print that has come further."""
    return f"print-{job_id}"
