"""The depth model: how long readings take, how near they come to the rendered sound, how long placing and confirming takes.

Usage: bin/bench depth [--pairs] [--targets 60]

Times are those of 40 tracks, 12 returns and 12 sections, every track fed into every return; with --pairs, every source of the demo
song and of three invented ones is rendered alone too, and what is predicted of it in each section is held against that (the docs' plot is
drawn from it); with --targets, so many sources are placed
at random distances in their reach, and rendered again.
"""

import argparse
import dataclasses
import math
import random
import tempfile
import time
from collections.abc import Callable
from pathlib import Path

import numpy as np
from bench.invented_songs import songs
from bench.plots import FOLDER, Chart

from highhall.demo import demo_plan, write_stems
from highhall.depth import DepthModel, SourceSound, StemTable, sounds_of
from highhall.depth.confirming import measured_model, place_heard
from highhall.depth.placing import place
from highhall.depth.sources import hop_count
from highhall.depth.spectra import bin_centres_hz
from highhall.plan import Plan, plan_from_document
from highhall.plan.edits import set_effect, set_send
from highhall.render import Stems

RATE, TRACKS, RETURNS, SECTIONS = 48000, 40, 12, 12


def large_plan() -> Plan:
    song = {
        "title": "Large", "sample_rate": RATE, "meters": [{"bar": 1, "beats": 4, "unit": 4}],
        "tempos": [{"at": "1|1", "bpm": 120}], "end": f"{10 * SECTIONS + 1}|1",
        "sections": [{"id": f"s{n}", "start": f"{10 * n + 1}|1", "end": f"{10 * n + 11}|1"} for n in range(SECTIONS)],
    }  # fmt: skip
    returns = [
        {"id": f"r{n}", "chain": [{"kind": "reverb", "params": {"space": "hall", "decay_s": 0.5 + 0.3 * n}},
                                  {"kind": "tone", "params": {"bands": [{"shape": "low_cut", "hz": 200}]}}]}
        for n in range(RETURNS)
    ]  # fmt: skip
    sends = [{"from": f"t{t}", "to": f"r{r}", "level_db": -10.0 - r} for t in range(TRACKS) for r in range(RETURNS)]
    tracks = [{"id": f"t{t}", "stem": f"t{t}.wav"} for t in range(TRACKS)]
    document = {
        "format": "high-hall-plan",
        "version": 1,
        "song": song,
        "tracks": tracks,
        "returns": returns,
        "sends": sends,
    }
    return plan_from_document(document)


def noise_sounds(plan: Plan) -> dict[str, SourceSound]:
    rng, bins = np.random.default_rng(0), len(bin_centres_hz(RATE))
    return {
        track.id: SourceSound(
            rng.random(hop_count(plan)) * 1e-3, rng.random((SECTIONS, 2, bins), np.float32).astype(np.float32)
        )
        for track in plan.tracks
    }


def best_ms(work: Callable[[int], object], times: int = 5) -> float:
    """Return the milliseconds of the quickest of several runs; each has its own number, so that nothing is kept of it."""
    spans = []
    for number in range(times):
        start = time.perf_counter()
        work(number)
        spans.append(time.perf_counter() - start)
    return 1000 * min(spans)


def speeds() -> None:
    plan = large_plan()
    sounds = noise_sounds(plan)
    table = StemTable.of(plan, sounds)
    model = DepthModel(plan, table)
    print(f"{TRACKS} tracks, {RETURNS} returns, {SECTIONS} sections")
    print(f"  chains heard for the first time           {best_ms(lambda _: model.readings, 1):8.0f} ms")
    anew = [dataclasses.replace(StemTable.of(plan, sounds), chains=table.chains) for _ in range(3)]
    print(
        f"  built from stored spectra and responses   {best_ms(lambda n: DepthModel(plan, anew[n]).readings, 3):8.0f} ms"
    )
    sends = [set_send(plan, "t5", "r3", level_db=-7.0 - n) for n in range(5)]
    print(f"  all readings after an edit of a send      {best_ms(lambda n: model.edited(sends[n]).readings):8.1f} ms")
    key = plan.return_("r3").chain[0].id
    chains = [set_effect(plan, "r3", key, params={"decay_s": 1.31 + n / 10}) for n in range(5)]
    print(f"  all readings after an edit of a chain     {best_ms(lambda n: model.edited(chains[n]).readings):8.1f} ms")


def pairs(model: DepthModel, stems: Stems, title: str) -> np.ndarray:
    """Return by how many dB each source in each section is predicted off what is rendered."""
    tracks = [track.id for track in model.plan.tracks]
    found = measured_model(model, stems, tracks)
    off = {
        key: (reading.wet_db or 0.0) - (found.readings[key].wet_db or 0.0)
        for key, reading in model.readings.items()
        if reading.by_return and reading.dry_power and key[1] is not None and key[0] in tracks
    }
    apart = np.abs(list(off.values()))
    print(f"{title}, {len(off)} pairs of source and section, predicted against rendered alone")
    print(
        f"  median {np.median(apart):.2f} dB, 90 % within {np.quantile(apart, 0.9):.2f} dB, worst {apart.max():.2f} dB"
    )
    for (source, section), each in sorted(off.items(), key=lambda item: -abs(item[1]))[:3]:
        print(f"    {source} in {section}: {each:+.2f} dB")
    return apart


def draw(apart: dict[str, np.ndarray]) -> None:
    """Write the distributions into the docs."""
    chart = Chart("Predicted off rendered", "dB apart, or less", "% of pairs", (0.0, 1.5), (0.0, 100.0))
    for title, values in apart.items():
        values = np.sort(values)
        shares = 100 * np.arange(len(values) + 1) / len(values)
        chart.add(title, np.repeat([0.0, *values], 2)[1:], np.repeat(shares, 2)[:-1])
    (FOLDER / "depth.svg").write_text(chart.svg(), encoding="utf-8")


def targets(model: DepthModel, stems: Stems, count: int) -> None:
    """Place sources at random within their reach, and hold the rendered sound against what was asked."""
    chance, plan = random.Random(7), model.plan
    heard = [key for key, reading in model.readings.items() if key[1] and reading.by_return and reading.dry_power]
    places = [key for key in heard if key[0] in {track.id for track in plan.tracks}]
    off, spans = [], []
    for wish in chance.choices(places, k=count):
        (reach,) = place(model, {wish: 3.0}).placed
        low, high = math.log(max(1.3 * reach.nearest_m, 0.5)), math.log(min(reach.farthest_m / 1.3, 30))
        distance = math.exp(chance.uniform(low, max(high, low)))
        start = time.perf_counter()
        proposal, _ = place_heard(model, stems, {wish: distance})
        spans.append(time.perf_counter() - start)
        found = measured_model(model.edited(proposal.plan), stems, [wish[0]], sections={wish[1]})
        off.append(abs((found.readings[wish].wet_db or 0.0) - plan.space.wet_db_at(distance)))
    within = np.mean(np.array(off) <= 1.0)
    print(f"demo song, {count} targets at random in reach, placed by ear and rendered again")
    print(f"  median {np.median(off):.2f} dB, {100 * within:.0f} % within 1 dB, worst {max(off):.2f} dB")
    print(f"  placing with its proof in sound: median {np.median(spans):.1f} s, longest {max(spans):.1f} s")


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter)
    parser.add_argument("--pairs", action="store_true")
    parser.add_argument("--targets", type=int, default=0, metavar="N")
    options = parser.parse_args()
    speeds()
    if not (options.pairs or options.targets):
        return
    plan = demo_plan()
    with tempfile.TemporaryDirectory() as folder:
        write_stems(Path(folder) / "stems")
        stems = Stems.opened(plan, Path(folder), Path(folder) / "decoded")
        model = DepthModel(plan, StemTable.of(plan, sounds_of(plan, stems)), stems.responses)
        if options.pairs:
            apart = {"demo": pairs(model, stems, "demo song")}
            for title, (invented, sounds) in songs().items():
                of_song = DepthModel(invented, StemTable.of(invented, sounds_of(invented, sounds)), sounds.responses)
                apart[title.lower()] = pairs(of_song, sounds, f"invented song {title}")
            draw(apart)
        if options.targets:
            targets(model, stems, options.targets)


if __name__ == "__main__":
    main()
