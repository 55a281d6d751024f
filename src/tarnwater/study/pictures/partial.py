"""Plots of a catchment whose flow is not computed: losses without a lag, unit hydrograph without rain."""

from __future__ import annotations

from tarnwater.errors import TarnwaterError
from tarnwater.network.elements import Catchment
from tarnwater.plots import Plot
from tarnwater.study.document import Study
from tarnwater.study.pictures.hydrographs import losses_plot, unit_plot

#: Step on which they are shown where the study has none, s.
PLAIN_STEP = 300.0


def losses_without_flow(
    study: Study, element: Catchment, family: str, return_period: float, duration: float
) -> Plot | None:
    """Rain of a storm at a point and its losses; None if the losses are unknown too."""
    try:
        storms = study.families[family]
        step = min(step_of(study), duration)
        table = study.tables[storms.table]
        rain = storms.increments(table, return_period, duration, area=0.0, step=step)
        return losses_plot(element, rain, step, study.units)
    except (TarnwaterError, KeyError):
        return None


def response_without_rain(study: Study, element: Catchment) -> Plot | None:
    """The unit hydrograph of a catchment; None if its area or its lag is missing."""
    try:
        return unit_plot(element, step_of(study), study.units)
    except TarnwaterError:
        return None


def step_of(study: Study) -> float:
    """The step of the run, s, or a default."""
    return study.run.step.value or PLAIN_STEP
