"""The storms of a study over which the loss of a surface is fitted to another."""

from __future__ import annotations

import numpy as np

from tarnwater.arrays import Floats
from tarnwater.errors import BadInput
from tarnwater.network.elements import Catchment
from tarnwater.runoff.losses import StormsOfFit
from tarnwater.runoff.transforms import ExcessOnArea
from tarnwater.study.answers.results import Results
from tarnwater.study.answers.storms import storm_title


def storms_of_fit(results: Results, key: str, condition: str) -> StormsOfFit:
    """All counted storms of a condition on a catchment, with its own transform for the peaks.

    Storms of the design point are taken that has most of them. Raises `BadInput` where none is computed.
    """
    there = [
        r for r in results.cases
        if r.case.condition == condition and r.standing == "counted" and key in r.network.elements
    ]  # fmt: skip
    points = [r.case.point for r in there]
    if not points:
        raise BadInput(
            "no storm is computed on it.", where=results.study.name_of(key), remedy="Resolve the stops first."
        )
    point = max(dict.fromkeys(points), key=points.count)
    cases = [r for r in there if r.case.point == point]
    element = cases[0].element(key)
    assert isinstance(element, Catchment)
    rows = [case.rain_on(key) for case in cases]
    rain = np.zeros((len(rows), max(len(row) for row in rows)))
    for number, row in enumerate(rows):
        rain[number, : len(row)] = row
    step, lag, area = cases[0].step, element.lag_used, element.area.known
    wait = int(np.ceil(element.transform.memory(area, lag, step) / step))

    def peak(excess: Floats) -> Floats:
        given = ExcessOnArea(excess, area, step, excess.shape[1] + wait)
        found: Floats = element.transform.respond(given, lag).hydrograph.flow.max(axis=1)
        return found

    names = [storm_title(results.study, case.case.storm) for case in cases]
    durations = np.array([case.case.storm.duration for case in cases])
    return StormsOfFit(names, rain, step, durations, peak)
