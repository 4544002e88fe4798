"""Figures as they are written for people: a real minus sign, fixed decimals."""

MINUS = "\N{MINUS SIGN}"
INFINITY = "\N{INFINITY}"


def figure(value: float, decimals: int = 1) -> str:
    """Return a number with a real minus sign; never minus zero.

    Examples
    --------
    >>> figure(-6), figure(-0.01)
    ('−6.0', '0.0')
    """
    text = f"{value:.{decimals}f}"
    if float(text) == 0:
        text = text.lstrip("-")
    return text.replace("-", MINUS)


def plain(text: str) -> str:
    """Return a typed text without blanks around it and with the minus sign that programs read."""
    return text.strip().replace(MINUS, "-")
