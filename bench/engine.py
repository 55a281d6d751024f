"""200 cases x 100 catchments x 500 steps over a recursive filter of as many values."""

from __future__ import annotations

import statistics

import numpy as np
from scipy.signal import lfilter

from bench.pairs import in_pairs, timed
from tarnwater.network.elements import Catchment, Link, Outfall, Reach, Surface
from tarnwater.network.engine import Batch, compute
from tarnwater.network.graph import Network
from tarnwater.rain.storms import Rain
from tarnwater.routing.reaches import Muskingum
from tarnwater.runoff.losses import CurveNumber

CASES, CATCHMENTS, STEPS, STEP = 200, 100, 500, 600.0
RAINY_STEPS = 144
SEED = 1


def network() -> Network:
    """A hundred catchments, each into a reach of four parts; the reaches form one long river."""
    elements, links = {}, {}
    for i in range(CATCHMENTS):
        surfaces = (Surface(share=1.0, loss=CurveNumber(curve_number=60 + i % 30)),)
        elements[f"c{i}"] = Catchment(name=f"c{i}", area=1e6 * (1 + i % 7), lag=3600.0 * (1 + i % 4), surfaces=surfaces)
        elements[f"r{i}"] = Reach(name=f"r{i}", method=Muskingum(travel_time=1800.0, weight=0.2, parts=4))
        links[f"a{i}"] = Link(up=f"c{i}", down=f"r{i}")
        links[f"b{i}"] = Link(up=f"r{i}", down=f"r{i + 1}" if i < CATCHMENTS - 1 else "out")
    elements["out"] = Outfall(name="out")
    return Network({k: e.refreshed() for k, e in elements.items()}, links)


def run(pairs: int) -> list[str]:
    rng = np.random.default_rng(SEED)
    rain = Rain(rng.gamma(0.5, 2.0, (CASES, RAINY_STEPS)), STEP)
    batch = Batch(network(), rain, STEP, STEPS)
    x = rng.random((CASES * CATCHMENTS, STEPS))
    check(batch)
    found = in_pairs(lambda: compute(batch), lambda: lfilter([0.1], [1, -0.9], x), pairs)
    name = f"engine, {CASES} cases x {CATCHMENTS} catchments x {STEPS} steps (rain in {RAINY_STEPS})"
    return [found.told(f"{name}, over scipy.signal.lfilter of {x.shape}", "at most 4.5"), outside(batch)]


def check(batch: Batch) -> None:
    """Every hydrograph of every element equals that of its case computed alone."""
    together = compute(batch)
    assert isinstance(batch.rain, Rain)
    for case in range(CASES):
        alone = compute(Batch(batch.network, Rain(batch.rain.depths[case : case + 1], STEP), STEP, STEPS), threads=1)
        for key, response in alone.responses.items():
            if not np.array_equal(response.flow[0], together.responses[key].flow[case]):
                raise AssertionError(f"{key} of case {case} differs from the case computed alone")


def outside(batch: Batch, repeats: int = 7) -> str:
    """Share of the time that does not grow with the cases: the interpreter's, on one thread.

    With o outside and w a case inside compiled code, one case takes o + w and all take o + n w.
    """
    assert isinstance(batch.rain, Rain)
    one = Batch(batch.network, Rain(batch.rain.depths[:1], STEP), STEP, STEPS)
    alone = statistics.median(timed(lambda: compute(one, threads=1)) for _ in range(repeats))
    whole = statistics.median(timed(lambda: compute(batch, threads=1)) for _ in range(repeats))
    outside = (CASES * alone - whole) / (CASES - 1)
    what = "engine, time outside compiled code (what does not grow with the cases)"
    return f"{what}: {1000 * outside:.1f} ms, {100 * outside / whole:.1f} % of {1000 * whole:.0f} ms; target under 10 %"
