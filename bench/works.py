"""Hydrographs through a riser over a recursive filter of the same numbers; its rating; a whole outlet."""

from __future__ import annotations

import statistics
from functools import partial

import numpy as np
from scipy.signal import lfilter

from bench.pairs import in_pairs, timed
from tarnwater.hydrograph import Hydrograph
from tarnwater.network.elements import Catchment, Outfall, Pond, Surface
from tarnwater.rain.depth_table import DepthTable
from tarnwater.rain.patterns import Huff
from tarnwater.rain.storms import StormFamily
from tarnwater.routing.ponds import FixedTailwater, Frustum, RatedTailwater, Storage, rate, route, start_of
from tarnwater.routing.works import BoxRiser, Outlets, RectangularOrifice, RoundOrifice, RoundPipe, SharpWeir
from tarnwater.runoff.losses import CurveNumber
from tarnwater.study import edits
from tarnwater.study.answers.outlet_proposal import Proposing, Wish
from tarnwater.study.document import DesignPoint, Limit, Study

CASES, STEPS, STEP, SEED = 1000, 500, 300.0, 1

#: Frames of a drag that are measured, and those before.
DRAGGED, WARM = 120, 10
HOUR = 3600.0

PIT = Frustum(name="pit", depth=3.0, length=80.0, width=50.0)
HELD = (
    RoundOrifice(name="low", inside="riser", diameter=0.3),
    RoundOrifice(name="mid", inside="riser", bottom=0.8, diameter=0.25),
    RectangularOrifice(name="slot", inside="riser", bottom=1.4, width=0.8, height=0.2),
    SharpWeir(name="notch", inside="riser", crest=1.9, length=0.6),
)
WORKS = (BoxRiser(name="riser", crest=2.3, outlet=RoundPipe(bottom=0.0, outlet=-0.3, diameter=0.9)), *HELD)
TAILS = {
    "fixed": FixedTailwater(level=0.4),
    "by rating": RatedTailwater(flows=(0.0, 0.5, 2.0, 8.0), levels=(-0.2, 0.3, 0.9, 1.6)),
}


def floods() -> np.ndarray:
    """Inflow (case, step + 1) m3/s: floods of all sizes, of which the filter takes the same numbers."""
    rng = np.random.default_rng(SEED)
    times = np.arange(STEPS + 1)
    peak, at = rng.uniform(0.5, 6.0, (CASES, 1)), rng.uniform(40, 160, (CASES, 1))
    return np.ascontiguousarray(peak * (times / at) ** 3 * np.exp(3 * (1 - times / at)))


def run(pairs: int) -> list[str]:
    inflow = floods()
    flood = Hydrograph(inflow, STEP)
    numbers = np.ascontiguousarray(inflow[:, 1:])
    lines = []
    for name, tail in TAILS.items():
        rating = rate(Storage((PIT,)), Outlets(WORKS), tail)
        start = start_of(rating, inflow[:, 0], None, 0.0)
        work = partial(route, rating, flood, start)
        paired = in_pairs(work, partial(lfilter, [0.1], [1, -0.9], numbers), pairs)
        told = f"{CASES} hydrographs of {STEPS} steps through a riser with four devices, tailwater {name}, over lfilter"
        lines.append(paired.told(told, "at most 8"))
    return [*lines, *rating_lines(), proposal_line(), drag_line()]


#: A riser in a riser in a riser, with an opening in each.
DEEP = (
    BoxRiser(name="a", crest=2.3, outlet=RoundPipe(bottom=0.0, outlet=-0.3, diameter=0.9)),
    RoundOrifice(name="low", inside="a", diameter=0.3),
    BoxRiser(name="b", inside="a", crest=2.0, outlet=RoundPipe(bottom=0.1, outlet=0.05, diameter=0.5)),
    RectangularOrifice(name="slot", inside="b", bottom=1.4, width=0.4, height=0.2),
    BoxRiser(name="c", inside="b", crest=1.8, length=0.5, outlet=RoundOrifice(bottom=0.2, diameter=0.3)),
    SharpWeir(name="notch", inside="c", crest=1.5, length=0.2),
)


def rating_lines() -> list[str]:
    """The flows of a riser, and of risers in risers, at 500 levels, with new outlets each time."""
    levels, behind = np.linspace(0.0, 3.0, 500), np.full(500, 0.4)
    told = []
    for name, works in (("openings in a riser with a pipe", WORKS), ("a riser in a riser in a riser", DEEP)):
        taken = []
        for _ in range(41):
            outlets = Outlets(works)
            taken.append(1e3 * timed(partial(outlets.flows, levels, behind)))
        median, most = statistics.median(taken[1:]), max(taken[1:])
        line = (
            f"rating at 500 levels of {name}: median {median:.1f} ms, at most {most:.1f}, 40 times; target under 5 ms"
        )
        told.append(line)
    return told


def yard() -> Study:
    """A yard with a pond, and limits at five return periods with eight durations each."""
    surfaces = (Surface(name="all", loss=CurveNumber(curve_number=90)),)
    land = Catchment(name="Yard", area=2e5, lag=900.0, surfaces=surfaces).refreshed()
    study = edits.add_draining(edits.add_element(Study(title="Yard"), Outfall(name="Beck")), land)
    periods = 2.0, 5.0, 10.0, 30.0, 100.0
    durations = tuple(h * HOUR for h in (0.5, 1, 2, 3, 6, 12, 24, 48))
    depths = (9.0, 26.0), (18.0, 45.0), (32.0, 80.0), (55.0, 140.0)
    known = 0.25 * HOUR, HOUR, 6 * HOUR, 48 * HOUR
    table = DepthTable(durations=known, return_periods=(2.0, 100.0), depths=depths, series="annual maxima")
    family = StormFamily(name="Design", table="t", return_periods=periods, durations=durations, pattern=Huff())
    study = edits.set_step(edits.set_family(edits.set_table(study, "t", table), "f", family), STEP)
    pond = Pond(name="Pond", storage=(Frustum(length=90.0, width=60.0, depth=2.5),))
    study = edits.lead_through(study, "yard", pond)
    flows = 0.1, 0.16, 0.22, 0.32, 0.45
    limits = tuple(Limit(return_period=t, flow=flow) for t, flow in zip(periods, flows, strict=True))
    return edits.set_design_point(study, "beck", DesignPoint(limits=limits))


def proposal_line() -> str:
    study = yard()
    condition = next(iter(study.conditions))
    plain, least = (
        timed(lambda wish=wish: Proposing(study, "pond", "beck", condition, wish).propose())
        for wish in (Wish(), Wish(least_storage=True))
    )
    told = "a whole outlet for five return periods with eight durations"
    return f"{told}: {plain:.1f} s; with the least plan {least:.1f} s; target under 10 s"


def drag_line() -> str:
    """Frames while an opening of the demo's pond is dragged: every case rerouted, all views painted."""
    import os
    import tempfile
    import time
    from pathlib import Path

    os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
    from PyQt6.QtCore import QPoint, Qt
    from PyQt6.QtTest import QTest

    from bench.window import demo_window, told
    from tarnwater.desk.desk import View

    with tempfile.TemporaryDirectory() as folder:
        app, window = demo_window(Path(folder))
        window.go_to(3)
        window.desk.select("coldgarth-pond")
        window.desk.look_at(View("yard-with-pond", "yard-outlet", 100.0))
        QTest.qWait(300)
        view = window.bench.ponds.section
        grip = next(one for one in view.section.grips if one.key == "devices/1:diameter")
        start = view.pixel(grip.at).toPoint()
        QTest.mousePress(view, Qt.MouseButton.LeftButton, pos=start)
        frames, last = [], None
        for number in range(DRAGGED + WARM):
            away = QPoint(0, round(12 * np.sin(number / 5)))
            began = time.perf_counter()
            QTest.mouseMove(view, start + away)
            app.processEvents()
            taken = 1e3 * (time.perf_counter() - began)
            # a frame in which the rounded size stayed the same had nothing to compute
            if away != last and number >= WARM:
                frames.append(taken)
            last = away
        QTest.keyClick(view, Qt.Key.Key_Escape)
        cases = len(window.desk.results.cases)
        window.close()
    return told(f"frames while an opening of the demo's pond is dragged, {cases} cases", frames, "under 50 ms")
