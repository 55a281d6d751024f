"""Plots of a unit hydrograph that is derived from an event."""

from __future__ import annotations

import numpy as np

from tarnwater import units
from tarnwater.arrays import Floats
from tarnwater.plots import Axis, Bars, Curve, Hanging, Mark, Plot, Role
from tarnwater.runoff.transforms.from_event import DEPTH, EventUnit
from tarnwater.study.pictures.hydrographs import HOURS
from tarnwater.units import System


def event_plot(found: EventUnit, system: System) -> Plot:
    """The direct flow of the event, what the unit hydrograph makes of its excess, and the excess from the top."""
    step = found.unit.duration
    hours = np.arange(len(found.direct)) * step / 3600
    unit = units.display_unit("flow", float(found.direct.max()), system)
    factor = units.factor_of(unit, "flow")
    depth = units.display_unit("rain", float(found.excess.max()), system)
    bars = Bars(
        hours[: len(found.excess)], step / 3600, found.excess / units.factor_of(depth, "rain"), "rain", "excess"
    )
    curves = (
        Curve(hours, found.direct / factor, "observed", "direct flow", "solid"),
        Curve(hours, found.rebuilt / factor, "water", "rebuilt", "dashed"),
    )
    told = units.show(found.depth, "rain", system), units.show(found.loss_rate, "rain rate", system)
    title = (
        f"{told[0]} ran off, loss {told[1]}, rebuilt within {units.show(found.misfit, 'share', digits=2)} of the peak"
    )
    hanging = Hanging(bars, Axis("excess", depth, low=0.0))
    marks = tuple(_top(hours, curve.y, curve.label, curve.role, unit) for curve in curves)
    return Plot(title, HOURS, Axis("flow", unit, low=0.0), curves, marks=marks, hanging=hanging)


def unit_of_event_plot(found: EventUnit, system: System) -> Plot:
    """The unit hydrograph by least squares and by forward division."""
    hours = np.append(0.0, np.array(found.unit.times)) / 3600
    both = np.append(0.0, np.array(found.unit.flows)), np.append(0.0, found.forward)
    unit = units.display_unit("flow", float(both[0].max()), system)
    factor = units.factor_of(unit, "flow")
    # forward division may swing without bounds; the plot shows it as far as it means anything
    bound = 2 * float(both[0].max())
    curves = (
        Curve(hours, np.clip(both[1], -bound, bound) / factor, "quiet", "forward division", "dotted"),
        Curve(hours, both[0] / factor, "ink", "non-negative least squares", "solid"),
    )
    depth = units.show(DEPTH, "rain", system)
    title = f"unit hydrograph of {units.show_duration(round(found.unit.duration))}, {depth} of excess"
    return Plot(title, HOURS, Axis("flow", unit), curves, marks=(_top(hours, curves[1].y, "", "ink", unit),))


def _top(hours: Floats, values: Floats, words: str, role: Role, unit: str) -> Mark:
    """The highest point of a curve with its figure."""
    top = int(np.argmax(values))
    figure = f"{units.rounded(float(values[top]))} {unit}"
    return Mark(float(hours[top]), float(values[top]), f"{words} {figure}".strip(), role)
