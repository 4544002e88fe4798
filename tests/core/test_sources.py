"""The table of what is heard, against sums one by one."""

import numpy as np
import pytest

from highhall.render.sources import AS_IT_IS, Sources


@pytest.mark.parametrize("count", [0, 1, 3, 4, 9])
@pytest.mark.parametrize("frames", [1, 511, 40000])
def test_a_mix_is_the_sum_of_its_taps(count: int, frames: int) -> None:
    rng = np.random.default_rng(count)
    sources = Sources()
    gains = {f"s{n}": tuple(rng.uniform(-1, 1, 2)) for n in range(count)}
    for n, (name, own) in enumerate(gains.items()):
        sources.hold(1 + n % 2, {(name, "post"): own, (name, "pre"): AS_IT_IS})
    sources.begin(frames)
    sounds = {name: rng.standard_normal((1 + n % 2, frames)).astype(np.float32) for n, name in enumerate(gains)}
    for name, sound in sounds.items():
        sources.room((name, "post"))[:] = sound
    sends = [{(name, source): tuple(rng.uniform(0, 1, 2)) for name in gains} for source in ("pre", "post")]
    mixed = sources.mixed(sources.mix(sends))
    assert mixed.shape == (2, 2, frames)
    for bus, feeds in zip(mixed, sends, strict=True):
        expected = np.zeros((2, frames))
        for (name, source), by in feeds.items():
            for side in (0, 1):
                own = gains[name][side] if source == "post" else 1.0
                expected[side] += by[side] * own * sounds[name][min(side, len(sounds[name]) - 1)]
        assert np.abs(bus - expected).max() < 1e-5


def test_a_tap_is_read_by_its_factors_and_room_is_given_back() -> None:
    sources = Sources()
    sources.hold(1, {("voice", "post"): (0.5, 0.25)})
    sources.begin(4)
    sources.room(("voice", "post"))[:] = [[1, 2, 3, 4]]
    assert ("voice", "pre") not in sources
    assert sources["voice", "post"].tolist() == [[0.5, 1, 1.5, 2], [0.25, 0.5, 0.75, 1]]
    sources.let_go()
    assert sources.room(("voice", "post")).size == 0
    sources.begin(4)
    assert not sources.room(("voice", "post")).any()
