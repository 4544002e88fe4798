"""The root of every error that the core raises on purpose."""


class CoreError(ValueError):
    """Something the caller gave cannot be used; the text is one sentence fit to print."""
