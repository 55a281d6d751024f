"""Travel times over the ground of a catchment, and the unit hydrograph that follows from them."""

from __future__ import annotations

from dataclasses import dataclass
from typing import cast

import numpy as np

from tarnwater.arrays import Floats, Integers
from tarnwater.errors import EditRefused
from tarnwater.network.elements import Catchment
from tarnwater.network.graph import Network
from tarnwater.runoff.transforms import TravelTimeUnitHydrograph
from tarnwater.study.document.blobs import Blobs
from tarnwater.study.edits.cells import cells_within
from tarnwater.terrain.drainage import Drainage
from tarnwater.terrain.travel import TravelTimes, VelocityRule, paths_within

#: Points of the area by travel time in a unit hydrograph.
POINTS = 200


@dataclass(frozen=True, eq=False)
class Travels:
    """Travel times of the cells of a catchment, with the ``rows`` and ``columns`` (cells,) of the ground.

    ``fitted_to`` is the lag to which the reference velocity was fitted, s; None for a typed one.
    """

    found: TravelTimes
    rows: Integers
    columns: Integers
    fitted_to: float | None

    def unit_hydrograph(self, method: TravelTimeUnitHydrograph) -> TravelTimeUnitHydrograph:
        """A method with these times as its area by travel time."""
        found, width = self.found, max(self.found.longest / POINTS, 1e-3)
        areas = np.cumsum(found.histogram(width))
        rule = found.rule
        times, shares = width * np.arange(len(areas) + 1), np.concatenate([[0.0], areas / areas[-1]])
        fields = {
            "reference": method.reference.with_derived(rule.reference),
            "arrival_times": tuple(float(t) for t in times),
            "area_shares": tuple(float(min(a, 1.0)) for a in shares),
            "at_least": found.at_least,
            "at_most": found.at_most,
            "limited": found.limited,
        }
        own = {name: getattr(method, name) for name in type(method).model_fields}
        made = TravelTimeUnitHydrograph(**{**own, **fields})
        return made.model_copy(update={"measured_by": made.rule(self.fitted_to or 0.0)})


def travels_of(network: Network, blobs: Blobs, drainage: Drainage, key: str) -> Travels | None:
    """Travel times in a catchment by its own rule of velocity; None where no ground lies in it.

    Without a typed reference velocity it is fitted so that the mean travel time is the lag, where that is known.
    """
    element = network.elements.get(key)
    rows, columns = cells_within(network, blobs, drainage, key)
    if not len(rows) or not isinstance(element, Catchment):
        return None
    method = rule_of(element)
    typed, lag = method.reference.typed_value, element.lag.value
    rule = VelocityRule(slope_power=method.slope_power, area_power=method.area_power, least=method.slowest,
                        most=method.fastest)  # fmt: skip
    paths = paths_within(drainage, rows, columns)
    if typed is not None:
        found = paths.times(VelocityRule(typed, rule.slope_power, rule.area_power, rule.least, rule.most))
    else:
        found = paths.times(rule) if lag is None else paths.fitted(rule, lag)
    own_rows, own_columns = drainage.cell_of(paths.cells)
    return Travels(found, own_rows, own_columns, None if typed is not None else lag)


def rule_of(element: Catchment) -> TravelTimeUnitHydrograph:
    """The method whose rule of velocity holds in a catchment: its own, or one with the usual values."""
    own = element.transform
    return cast("TravelTimeUnitHydrograph", own) if own.from_ground else TravelTimeUnitHydrograph()


def measured_unit(network: Network, blobs: Blobs, drainage: Drainage, key: str) -> TravelTimeUnitHydrograph:
    """The unit hydrograph of the travel times in a catchment.

    Raises `EditRefused` where no ground lies in it, and for limits of velocity out of order.
    """
    element = network.elements.get(key)
    where = key if element is None else element.name
    if isinstance(element, Catchment) and (rule := rule_of(element)).slowest >= rule.fastest:
        raise EditRefused("the least velocity is not below the greatest.", where=where, remedy="Type limits in order.")
    travels = travels_of(network, blobs, drainage, key)
    if travels is None:
        raise EditRefused(
            "no ground lies in it.", where=where, remedy="Choose a catchment with an outline on the terrain."
        )
    assert isinstance(element, Catchment)
    return travels.unit_hydrograph(rule_of(element))


def grid_of(travels: Travels, most: int) -> tuple[Floats, tuple[int, int, int, int], int]:
    """Travel times as a grid (row, column) s, NaN outside, its first and last row and column, and its stride.

    Every few cells are left out, so that neither side has more than ``most`` of them.
    """
    top, left = int(travels.rows.min()), int(travels.columns.min())
    foot, right = int(travels.rows.max()) + 1, int(travels.columns.max()) + 1
    stride = max(1, -(-max(foot - top, right - left) // most))
    shape = -(-(foot - top) // stride), -(-(right - left) // stride)
    grid = np.full(shape, np.nan)
    grid[(travels.rows - top) // stride, (travels.columns - left) // stride] = travels.found.times
    return grid, (top, left, top + shape[0] * stride, left + shape[1] * stride), stride
