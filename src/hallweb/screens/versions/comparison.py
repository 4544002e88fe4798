"""Two versions beside each other: what differs, in words and figures."""

from dataclasses import dataclass

from highhall.plan import Plan
from highhall.plan.differences import Difference, differences


@dataclass(frozen=True, slots=True, kw_only=True)
class DifferenceRow:
    """One difference as it stands on the screen; `by` is how far two figures of one unit lie apart."""

    key: str
    place: str
    what: str
    section: str
    before: str
    after: str
    by: str

    @property
    def sentence(self) -> str:
        """What taking it over does, for the history and for screen readers."""
        return f"{self.what} of {self.place}{f' in {self.section}' if self.section else ''}"


def difference_rows(plan: Plan, other: Plan) -> list[DifferenceRow]:
    """Return in what another plan differs from a plan, as rows."""
    return [_row(difference) for difference in differences(plan, other)]


def _row(difference: Difference) -> DifferenceRow:
    before, after = difference.words
    return DifferenceRow(
        key=difference.key,
        place=difference.place,
        what=difference.what,
        section=difference.section,
        before=before,
        after=after,
        by=difference.by,
    )
