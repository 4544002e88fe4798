"""A plan rendered once, and what its parts are like: main, the dry sound, and every return as it reaches main."""

from collections.abc import Callable, Mapping
from concurrent.futures import ThreadPoolExecutor

from highhall.measure.stem_analysis import HOP_S, Listener, StemAnalysis
from highhall.plan import MAIN, Plan
from highhall.render import Engine, Stems
from highhall.render.engine import DRY

_BLOCK_HOPS = 100
_THREADS = 2


def lanes_of(plan: Plan, stems: Stems, *, give_way: Callable[[], None] = lambda: None) -> Mapping[str, StemAnalysis]:
    """Return an analysis of every part, by "main", "dry" and the ids of returns, from the song's start to its end.

    give_way: called before every ten seconds of sound.
    """
    rate = plan.song.sample_rate
    size, end = _BLOCK_HOPS * round(HOP_S * rate), plan.song.end_sample
    listeners = {lane: Listener(2, rate) for lane in (MAIN, DRY, *(return_.id for return_ in plan.returns))}
    with ThreadPoolExecutor(_THREADS) as pool:
        engine = Engine(plan, stems, executor=pool)
        while engine.position < end:
            give_way()
            block = engine.advance(min(size, end - engine.position))
            parts = {MAIN: block.main, DRY: block.dry, **block.returns}
            list(pool.map(lambda lane, parts=parts: listeners[lane].add(parts[lane]), listeners))
        return dict(zip(listeners, pool.map(Listener.finish, listeners.values()), strict=True))
