"""Plots of ponds: what leaves and what is held at each level."""

from __future__ import annotations

import numpy as np

from tarnwater import units
from tarnwater.network.elements import Pond
from tarnwater.plots import STYLES, Axis, Curve, Mark, Plot, Role
from tarnwater.study.answers import CaseResult, Results

#: Roles of the curves of single devices.
DEVICE_ROLES: tuple[Role, ...] = ("loss", "observed", "rain", "ink")


def rating_plot(pond: Pond, system: units.System, top: float | None = None) -> Plot | None:
    """Outflow of a pond and of each device by level, with its highest level (m); None where it passes on."""
    if pond.passes or pond.store is None:
        return None
    rating = pond.rating()
    total = rating.total[-1]
    unit = units.display_unit("flow", float(total.max(initial=0.0)), system)
    height = units.units_of("height", system)[0]
    factor, rise = units.factor_of(unit, "flow"), units.factor_of(height, "height")
    levels = rating.levels / rise
    curves = [Curve(levels, total / factor, "water", "outflow", tagged=True)]
    outer = pond.outlets.outer
    behind = pond.tailwater.behind(rating.levels, lambda _: total)
    flows = pond.outlets.flows(rating.levels, behind)
    for number, (device, own) in enumerate(zip(outer, flows, strict=True) if len(outer) > 1 else ()):
        # an empty pond gives nothing
        own[0] = 0.0
        role, style = DEVICE_ROLES[number % len(DEVICE_ROLES)], STYLES[1 + number % (len(STYLES) - 1)]
        curves.append(Curve(levels, own / factor, role, device.sign, style, tagged=True))
    held = units.show(float(rating.storages[-1]), "volume", system)
    title = f"rating · {held} held at {units.show(pond.store.top, 'height', system)}"
    marks: tuple[Mark, ...] = ()
    if top is not None:
        flow = float(np.interp(top, rating.levels, total))
        marks = (Mark(top / rise, flow / factor, f"highest {units.show(top, 'height', system)}"),)
    x = Axis("level", height, low=float(levels[0]), high=float(levels[-1]))
    return Plot(title, x, Axis("flow", unit, low=0.0), tuple(curves), marks=marks)


def pond_plot(results: Results, case: CaseResult, key: str) -> Plot | None:
    """The rating of a pond in a case."""
    pond = case.network.elements[key]
    if not isinstance(pond, Pond):
        return None
    pool = case.pool(key)
    return rating_plot(pond, results.study.units, None if pool is None else pool.top)
