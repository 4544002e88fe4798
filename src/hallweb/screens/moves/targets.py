"""What can move, as addresses and screens name it."""

from collections.abc import Iterator

from highhall.errors import CoreError
from highhall.plan import Effect, EffectTarget, Plan, Return, ReturnTarget, SendTarget, Target
from highhall.plan.kinds import FILTER_PARAMETERS, ON, RETURN_MOVABLE, SEND_MOVABLE, SHAPES
from highhall.plan.move_table import target_place
from highhall.plan.references import movable_parameter, movable_parameters


def key_of(target: Target) -> str:
    """Return a target as one word of an address."""
    match target:
        case SendTarget():
            return f"send:{target.source}:{target.target}:{target.param}"
        case EffectTarget():
            return f"effect:{target.target}:{target.effect}:{target.param}"
    return f"return:{target.target}:{target.param}"


def target_of(plan: Plan, key: str) -> Target | None:
    """Return what a word names; None if the plan has no such thing that could move."""
    target: Target
    match key.split(":"):
        case ["send", source, goal, param]:
            target = SendTarget(source=source, target=goal, param=param)
        case ["return", goal, param]:
            target = ReturnTarget(target=goal, param=param)
        case ["effect", goal, effect, param]:
            target = EffectTarget(target=goal, effect=effect, param=param)
        case _:
            return None
    try:
        movable_parameter(plan, target)
    except CoreError:
        return None
    return target


def target_label(plan: Plan, target: Target) -> str:
    """Return what of a thing moves, as its field is called."""
    if isinstance(target, EffectTarget) and target.param.startswith("bands/"):
        _, index, name = target.param.split("/")
        filter_ = plan.return_(target.target).effect(target.effect).filters[int(index)]
        return f"{filter_.label}, {FILTER_PARAMETERS[name].label.lower()}"
    return movable_parameter(plan, target).label


def _counts(effect: Effect, param: str) -> bool:
    """Whether a value does something: a gain does not in a filter that only cuts."""
    if not param.startswith("bands/"):
        return True
    _, index, name = param.split("/")
    return name != "gain_db" or SHAPES[effect.filters[int(index)].shape].has_gain


def movable_of(plan: Plan, return_: Return) -> Iterator[tuple[str, str]]:
    """Yield (key, words) of everything that can move in a return: its own values, its effects', and its feeds'."""
    targets: list[Target] = [ReturnTarget(target=return_.id, param=param) for param in RETURN_MOVABLE]
    for effect in return_.chain:
        movable = [ON.name, *(param for param in movable_parameters(effect) if _counts(effect, param))]
        targets += [EffectTarget(target=return_.id, effect=effect.id, param=param) for param in movable]
    for send in plan.sends_into(return_.id):
        targets += [SendTarget(source=send.source, target=return_.id, param=param) for param in SEND_MOVABLE]
    for target in targets:
        yield key_of(target), f"{target_place(plan, target)}: {target_label(plan, target).lower()}"
