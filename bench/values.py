"""1,000 cases with a curve number each over 1,000 alike, with the lag typed and with the lag that follows."""

from __future__ import annotations

import numpy as np

from bench.pairs import in_pairs
from tarnwater.network.elements import Catchment, Link, Outfall, Surface
from tarnwater.network.engine import Batch, compute
from tarnwater.network.graph import Network
from tarnwater.rain.storms import Rain
from tarnwater.runoff.losses import CurveNumber
from tarnwater.runoff.timing import NrcsLag

CASES, STEPS, STEP, RAINY_STEPS = 1000, 500, 600.0, 144
SEED = 1
PATH = ("surfaces", 0, "loss", "curve_number")


def network(*, typed: bool) -> Network:
    """A catchment of one surface, and its outfall."""
    surfaces = (Surface(name="whole", share=1.0, loss=CurveNumber(curve_number=75.0)),)
    land = Catchment(name="c", area=5e6, surfaces=surfaces, flow_length=4000.0, mean_slope=0.05, timing=NrcsLag())
    if typed:
        land = land.model_copy(update={"lag": land.lag.with_typed(3600.0)})
    return Network({"c": land.refreshed(), "out": Outfall(name="out")}, {"l": Link(up="c", down="out")})


def run(pairs: int) -> list[str]:
    rng = np.random.default_rng(SEED)
    rain = Rain(rng.gamma(0.5, 2.0, (CASES, RAINY_STEPS)), STEP)
    numbers = rng.uniform(40.0, 98.0, CASES)
    alike = Batch(network(typed=True), rain, STEP, STEPS)
    told = []
    for typed, target in ((True, "at most 1.5"), (False, "at most 6")):
        own = Batch(network(typed=typed), rain, STEP, STEPS, values={("c", PATH): numbers})
        found = in_pairs(lambda own=own: compute(own), lambda: compute(alike), pairs)  # type: ignore[misc]
        lag = "typed" if typed else "from the curve number"
        told.append(found.told(f"values, {CASES} cases with a curve number each, lag {lag}, over alike", target))
    return told
