"""In which order the returns of a plan can be worked out."""

from graphlib import CycleError, TopologicalSorter

from highhall.plan.model import Plan


def _feeders(plan: Plan) -> dict[str, set[str]]:
    returns = {return_.id for return_ in plan.returns}
    feeders: dict[str, set[str]] = {return_id: set() for return_id in returns}
    for send in plan.sends:
        if send.source in returns and send.target in returns:
            feeders[send.target].add(send.source)
    return feeders


def feeding_loop(plan: Plan) -> list[str]:
    """Return the returns that feed each other in a circle, first and last the same; empty if none do."""
    try:
        TopologicalSorter(_feeders(plan)).prepare()
    except CycleError as error:
        loop: list[str] = error.args[1]
        return loop
    return []


def feeding_path(plan: Plan, source: str, target: str) -> list[str]:
    """Return the returns through which `source` already feeds `target`, both included; empty if it does not.

    A send from `target` to `source` would close them to a loop.
    """
    fed = {r.id: [s.target for s in plan.sends if s.source == r.id] for r in plan.returns}
    paths, seen = [[source]] if source in fed else [], {source}
    for path in paths:
        if path[-1] == target:
            return path
        after = [each for each in fed[path[-1]] if each not in seen]
        seen.update(after)
        paths += [[*path, each] for each in after]
    return []


def return_stages(plan: Plan) -> list[list[str]]:
    """Return the ids of the returns in stages: each depends on earlier stages only, plan order within."""
    feeders = _feeders(plan)
    stages: list[list[str]] = []
    placed: set[str] = set()
    while len(placed) < len(plan.returns):
        stage = [r.id for r in plan.returns if r.id not in placed and feeders[r.id] <= placed]
        stages.append(stage)
        placed.update(stage)
    return stages


def feeding_returns(plan: Plan, return_id: str) -> set[str]:
    """Return the ids of all returns whose sound reaches `return_id`, itself included."""
    feeders = _feeders(plan)
    found, open_ids = {return_id}, [return_id]
    while open_ids:
        for feeder in feeders[open_ids.pop()] - found:
            found.add(feeder)
            open_ids.append(feeder)
    return found


def reached_returns(plan: Plan, return_id: str) -> frozenset[str]:
    """Return the ids of a return and of all that it feeds, straight or through others."""
    return frozenset(r.id for r in plan.returns if return_id in feeding_returns(plan, r.id))
