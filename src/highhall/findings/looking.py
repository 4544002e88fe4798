"""Looking for findings of all kinds, and taking what one proposes."""

from collections.abc import Callable, Collection, Iterator
from dataclasses import replace

from highhall.errors import CoreError
from highhall.findings.finding import Finding, Kind, Mending
from highhall.findings.heard import Heard
from highhall.findings.kinds import KINDS

STRICTNESS = {"lenient": 1.0, "usual": 0.0, "strict": -0.5}
"""How far past its limit something has to be to be told, in steps of severity."""


def look(
    heard: Heard,
    *,
    only: Collection[str] | None = None,
    strictness: str = "usual",
    give_way: Callable[[], None] = lambda: None,
) -> list[Finding]:
    """Return what is found, the most severe first, with what would mend it; see `look_and_mend`."""
    return [finding for finding, _ in look_and_mend(heard, only=only, strictness=strictness, give_way=give_way)]


def look_and_mend(
    heard: Heard,
    *,
    only: Collection[str] | None = None,
    strictness: str = "usual",
    give_way: Callable[[], None] = lambda: None,
) -> list[tuple[Finding, Mending | None]]:
    """Return what is found, the most severe first, each with the edit that mends it, if there is one.

    Parameters
    ----------
    only: names of kinds; None is all. Kinds that need the song to be rendered are looked for where it was. give_way: called before
    every kind, and before a mending is looked for.

    Raises
    ------
    CoreError
        If there is no such kind, or no such strictness.
    """
    for name in only or ():
        if name not in KINDS:
            raise CoreError(f'there is no kind of finding "{name}"; there are {", ".join(KINDS)}')
    if strictness not in STRICTNESS:
        raise CoreError(f'there is no strictness "{strictness}"; there are {", ".join(STRICTNESS)}')
    found = []
    for kind in KINDS.values():
        if only is None or kind.name in only:
            give_way()
            for finding in _of_kind(heard, kind, STRICTNESS[strictness]):
                give_way()
                found.append(_told(kind, finding, next(_mendings(heard, kind, finding), None)))
    return sorted(found, key=lambda pair: _order(pair[0]))


def _order(finding: Finding) -> tuple[float, float, str]:
    return -finding.severity, -finding.excess, finding.id


def _told(kind: Kind, finding: Finding, mended: tuple[Mending, Heard] | None) -> tuple[Finding, Mending | None]:
    """Return a finding with the least change that mends it, if there is one, in words and drawn."""
    if mended is None:
        return finding, None
    mending, heard = mended
    proposed = kind.evidence(heard, finding) if kind.evidence else None
    return replace(finding, proposal=mending.words, keeps=mending.keeps, proposed=proposed), mending


def _of_kind(heard: Heard, kind: Kind, least: float) -> Iterator[Finding]:
    if kind.is_rendered and heard.peaks is None:
        return
    for finding in kind.look(heard):
        if finding.excess >= least:
            yield replace(finding, severity=kind.severity(finding.excess))


def _mendings(heard: Heard, kind: Kind, finding: Finding) -> Iterator[tuple[Mending, Heard]]:
    """Yield the changes that make a finding go away and make no other of its kind, the least first, each with its plan as it is heard."""
    before = {each.id: each.severity for each in _of_kind(heard, kind, 0.0)}
    for mending in kind.mend(heard, finding):
        mended = heard.edited(mending.plan, finding)
        after = [] if kind.is_rendered else _of_kind(mended, kind, 0.0)
        if not any(each.id == finding.id or each.severity > before.get(each.id, 0) for each in after):
            yield mending, mended


def _severities(heard: Heard) -> dict[str, int]:
    """Return how severe each finding is that can be predicted, by id."""
    kinds = [kind for kind in KINDS.values() if not kind.is_rendered]
    return {each.id: each.severity for kind in kinds for each in _of_kind(heard, kind, 0.0)}


def take(heard: Heard, finding_id: str, known: Collection[Finding] = ()) -> Mending:
    """Return what a finding proposes, worked out anew on the plan at hand.

    Of the changes that mend it, that is the first which makes no other finding as severe; the least if all of them do.

    Parameters
    ----------
    known: findings that need the song to be rendered, and were found in a plan that was; they are taken as they are.

    Raises
    ------
    CoreError
        If nothing of that id is found, or nothing mends it.
    """
    kind = KINDS.get(finding_id.split("/")[0])
    found = {each.id: each for each in (_of_kind(heard, kind, STRICTNESS["strict"]) if kind else ())}
    found |= {each.id: each for each in known if kind is not None and kind.is_rendered and each.kind == kind.name}
    if kind is None or finding_id not in found:
        raise CoreError(f'there is no finding "{finding_id}" in this plan; look again, it may be mended')
    finding, before = found[finding_id], _severities(heard)
    least: Mending | None = None
    for mending, _ in _mendings(heard, kind, finding):
        least = least or mending
        after = _severities(heard.edited(mending.plan))
        if not any(now > before.get(key, 0) and now >= finding.severity for key, now in after.items()):
            return mending
    if least is None:
        raise CoreError(f'nothing that is tried here mends "{finding_id}"; it has to be mended by hand')
    return least
