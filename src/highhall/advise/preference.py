"""How sure a preference is that was found by listening without knowing which is which."""

from scipy.stats import binomtest


def chance_of_guessing(chosen: int, rounds: int) -> float:
    """Return how likely so clear a result, or a clearer one for either side, is if nothing can be told apart.

    This is the two-sided sign test (exact binomial test with one half).

    Parameters
    ----------
    chosen: how many of the `rounds` went to one of the two.

    Raises
    ------
    ValueError
        If `chosen` does not lie between 0 and `rounds`, or there was no round.
    """
    if not 0 <= chosen <= rounds or rounds < 1:
        raise ValueError(f"{chosen} of {rounds} rounds is no result")
    return float(binomtest(chosen, rounds, 0.5).pvalue)
