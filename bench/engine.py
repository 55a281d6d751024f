"""1,000 cases x 200 elements x 500 steps over a recursive filter of as many values; edits of a network; long runs."""

from __future__ import annotations

import io
import resource
import statistics
import tempfile
from dataclasses import replace
from functools import partial
from pathlib import Path

import numpy as np
from scipy.signal import lfilter

from bench.pairs import in_pairs, timed
from tarnwater.network.cache import ResultCache
from tarnwater.network.elements import Catchment, Element, Link, Outfall, Pond, Reach, Surface
from tarnwater.network.engine import Batch, compute
from tarnwater.network.graph import Network
from tarnwater.parameters import typed
from tarnwater.rain.storms import Rain
from tarnwater.routing.ponds import Frustum
from tarnwater.routing.reaches import Muskingum
from tarnwater.routing.works import BroadWeir, RoundOrifice
from tarnwater.runoff.losses import CurveNumber, InitialConstant

CASES, ELEMENTS, PONDS, STEPS, STEP = 1000, 200, 10, 500, 600.0
RAINY_STEPS = 144
SEED = 1


def pond(number: int, scale: float = 1.0) -> Pond:
    """A pond with a low outlet and a spillway, which holds back a good part of a flood."""
    pit = Frustum(name="pit", depth=6.0, length=300.0 * scale, width=200.0 * scale)
    works = RoundOrifice(name="low", diameter=1.5), BroadWeir(name="spillway", crest=3.0, length=40.0)
    return Pond(name=f"p{number}", storage=(pit,), devices=works)


def network(elements: int = ELEMENTS, ponds: int = PONDS) -> Network:
    """Catchments, each into a reach of four parts but the last; the reaches form one long river with ponds in it."""
    catchments = (elements - ponds) // 2
    made: dict[str, Element] = {}
    links: dict[str, Link] = {}
    river = ""

    def lead(up: str, down: str) -> None:
        if up:
            links[f"{up} {down}"] = Link(up=up, down=down)

    for i in range(catchments):
        surfaces = (Surface(share=1.0, loss=CurveNumber(curve_number=60 + i % 30)),)
        made[f"c{i}"] = Catchment(name=f"c{i}", area=1e6 * (1 + i % 7), lag=3600.0 * (1 + i % 4), surfaces=surfaces)
        here = [f"c{i}", river]
        if i < catchments - 1:
            made[f"r{i}"] = Reach(name=f"r{i}", method=Muskingum(travel_time=1800.0, weight=0.2, parts=4))
            lead(f"c{i}", f"r{i}")
            lead(river, f"r{i}")
            here = [f"r{i}"]
        number = (i + 1) * ponds // catchments
        if number > i * ponds // catchments:
            made[f"p{number}"] = pond(number, 1 + i / 30)
            for up in here:
                lead(up, f"p{number}")
            here = [f"p{number}"]
        river = here[0]
    made["out"] = Outfall(name="out")
    lead(river, "out")
    return Network({k: e.refreshed() for k, e in made.items()}, links)


def batch_of(cases: int = CASES, elements: int = ELEMENTS, steps: int = STEPS) -> Batch:
    """Cases under random rain."""
    rng = np.random.default_rng(SEED)
    return Batch(network(elements), Rain(rng.gamma(0.5, 2.0, (cases, RAINY_STEPS)), STEP), STEP, steps)


def run(pairs: int) -> list[str]:
    batch = batch_of()
    check(batch)
    x = np.random.default_rng(SEED).random((CASES * ELEMENTS, STEPS))
    found = in_pairs(lambda: compute(batch), lambda: lfilter([0.1], [1, -0.9], x), pairs)
    count = len(batch.network.elements), sum(isinstance(e, Pond) for e in batch.network.elements.values())
    name = f"engine, {CASES} cases x {count[0]} elements ({count[1]} ponds) x {STEPS} steps (rain in {RAINY_STEPS})"
    return [
        found.told(f"{name}, over scipy.signal.lfilter of {x.shape}", "at most 4.5, aim 2"),
        f"  peak memory of the process {resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 2**20:.2f} GB, with the "
        "base of 0.8 GB and its result; target under 4",
        *linear(),
        outside(batch),
        *edits(),
        *years(pairs),
    ]


def check(batch: Batch, cases: int = 40) -> None:
    """Every hydrograph of some cases equals that of its case computed alone, and the water balances."""
    together = compute(batch)
    error = float(np.abs(together.balance.error).max())
    if error > 1e-9:
        raise AssertionError(f"the balance is off by {error:.2g}")
    assert isinstance(batch.rain, Rain)
    for case in range(0, CASES, CASES // cases):
        alone = compute(replace(batch, rain=batch.rain.of(slice(case, case + 1))), threads=1)
        for key, response in alone.responses.items():
            if not np.array_equal(response.flow[0], together.responses[key].flow[case]):
                raise AssertionError(f"{key} of case {case} differs from the case computed alone")


def median(batch: Batch, repeats: int = 5, threads: int | None = None) -> float:
    return statistics.median(timed(lambda: compute(batch, threads=threads)) for _ in range(repeats))


def linear() -> list[str]:
    """Time in nanoseconds a value, as cases, elements and steps grow."""
    sizes = [(250, 200, 500), (500, 200, 500), (1000, 200, 500), (1000, 50, 500), (1000, 100, 500), (1000, 200, 250),
             (500, 200, 1000)]  # fmt: skip
    told = []
    for cases, elements, steps in sizes:
        time = median(batch_of(cases, elements, steps), 3)
        value = 1e9 * time / (cases * elements * steps)
        told.append(
            f"  {cases:5} cases x {elements:3} elements x {steps:4} steps: {time:6.2f} s, {value:5.1f} ns a value"
        )
    return ["engine, cost as cases, elements and steps grow (target: linear)", *told]


def outside(batch: Batch, repeats: int = 5) -> str:
    """Share of the time that does not grow with the cases: the interpreter's, on one thread.

    With o outside and w a case inside compiled code, one case takes o + w and all take o + n w.
    """
    assert isinstance(batch.rain, Rain)
    alone = median(replace(batch, rain=batch.rain.of(slice(0, 1))), repeats, threads=1)
    whole = median(batch, repeats, threads=1)
    outside = (CASES * alone - whole) / (CASES - 1)
    what = "engine, time outside compiled code (what does not grow with the cases)"
    return f"{what}: {1000 * outside:.1f} ms, {100 * outside / whole:.1f} % of {1000 * whole:.0f} ms; target under 10 %"


def edits(cases: int = 20, elements: int = 500, repeats: int = 15) -> list[str]:
    """One edit of a network whose other results are kept: at the outfall's pond, and at the farthest headwater."""
    start = batch_of(cases, elements)
    last = next(link.up for link in start.network.links.values() if link.down == "out")
    if not isinstance(start.network.elements[last], Pond):
        raise AssertionError(f"{last} is no pond")
    told = []
    for key, target in ((last, 30), ("c0", 150)):
        cache: ResultCache = ResultCache(1 << 30)
        compute(start, cache=cache)
        times = []
        for number in range(repeats):
            changed = dict(start.network.elements)
            changed[key] = edited(changed[key], number)
            batch = replace(start, network=Network(changed, start.network.links))
            times.append(1000 * timed(partial(compute, batch, cache=cache)))
        middle, most = statistics.median(times), max(times)
        what = f"one edit of {start.network.elements[key].name}, {len(start.network.elements)} elements, {cases} cases"
        told.append(f"{what}: median {middle:.1f} ms, at most {most:.1f}, {repeats} edits; target under {target} ms")
    return told


def edited(element: Element, number: int) -> Element:
    """An element with another size."""
    if isinstance(element, Pond):
        low = element.devices[0].model_copy(update={"diameter": 1.0 + 0.01 * number})
        return element.model_copy(update={"devices": (low, *element.devices[1:])})
    return element.model_copy(update={"lag": typed(3600.0 + number)}).refreshed()


YEARS, QUARTER, LAND = 10, 900.0, 50


def years(pairs: int) -> list[str]:
    """Ten years at 15 minutes with losses that recover, over reading their rain from a file."""
    import pandas as pd

    rng = np.random.default_rng(SEED)
    count = round(YEARS * 365.25 * 86400 / QUARTER)
    wet = rng.random(count // 96 + 1) < 0.3
    depths = np.where(np.repeat(wet, 96)[:count] & (rng.random(count) < 0.2), rng.gamma(0.5, 1.0, count), 0.0)
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "rain.csv"
        stamps = pd.date_range("2001-01-01", periods=count, freq="15min")
        pd.DataFrame({"time": stamps.strftime("%Y-%m-%d %H:%M"), "rain_mm": depths.round(2)}).to_csv(path, index=False)
        text = path.read_bytes()
    made: dict[str, Element] = {}
    links: dict[str, Link] = {}
    loss = InitialConstant(initial=15.0, constant=1.5, recovery=0.5)
    for i in range(LAND // 2):
        surfaces = (Surface(share=1.0, loss=loss),)
        made[f"c{i}"] = Catchment(name=f"c{i}", area=1e6, lag=3600.0 * (1 + i % 4), surfaces=surfaces)
        made[f"r{i}"] = Reach(name=f"r{i}", method=Muskingum(travel_time=1800.0, weight=0.2, parts=2))
        links[f"a{i}"] = Link(up=f"c{i}", down=f"r{i}")
        links[f"b{i}"] = Link(up=f"r{i}", down=f"r{i + 1}" if i < LAND // 2 - 1 else "out")
    made["out"] = Outfall(name="out")
    long = Batch(
        Network({k: e.refreshed() for k, e in made.items()}, links), Rain(depths[None, :], QUARTER), QUARTER, count
    )

    def base() -> None:
        pd.read_csv(io.BytesIO(text), parse_dates=["time"], date_format="%Y-%m-%d %H:%M")

    compute(long)
    found = in_pairs(lambda: compute(long), base, pairs)
    name = f"{YEARS} years at 15 min ({count} steps), {len(made)} elements, with recovery, over pandas.read_csv"
    return [found.told(name, "at most 3")]
