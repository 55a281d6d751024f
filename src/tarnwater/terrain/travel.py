"""Travel times over the ground to an outlet, and the area by travel time."""

from __future__ import annotations

from dataclasses import dataclass, replace
from functools import cached_property

import numpy as np

from tarnwater.arrays import Flags, Floats, Integers
from tarnwater.terrain.drainage import OUT, Drainage
from tarnwater.terrain.parallel import one_at_a_time

SOURCE = "Maidment, Olivera, Calver, Eatherall and Fraczek (1996)"


@dataclass(frozen=True)
class VelocityRule:
    """Velocity of the water in a cell: V = Vm (s^b A^c) / mean(s^b A^c), kept between two limits.

    ``reference`` is Vm, m/s; ``slope_power`` and ``area_power`` are b and c; ``least`` and ``most`` are the limits,
    m/s. The mean is over the cells of the catchment only.
    """

    reference: float = 0.1
    slope_power: float = 0.5
    area_power: float = 0.5
    least: float = 0.02
    most: float = 2.0


@dataclass(frozen=True, eq=False)
class TravelTimes:
    """Travel times (cells,) s from the centres of cells to where their water leaves, and the ``steps`` (cells,) s.

    A step is the time from a cell to the next one down; 0 where the water leaves. ``at_least`` and ``at_most`` count
    the cells at the limits of velocity; ``limited`` is the share (0 to 1) of all travel time that is spent in them.
    """

    rule: VelocityRule
    times: Floats
    steps: Floats
    at_least: int
    at_most: int
    limited: float
    cell_area: float

    @property
    def mean(self) -> float:
        """Mean travel time of the cells, s: the lag of the area from an instantaneous rain."""
        return float(self.times.mean())

    @property
    def longest(self) -> float:
        """Longest travel time, s."""
        return float(self.times.max())

    def histogram(self, width: float) -> Floats:
        """Area (bins,) m2 by travel time in bins of a width, s; it sums to the area of the cells.

        A cell is spread over the bins by the share of its own time in each: its water comes from all of it.
        """
        from tarnwater.terrain import _kernels as kernels

        first = np.maximum(self.times - self.steps / 2, 0.0)
        last = self.times + self.steps / 2
        found = np.zeros(int(last.max() // width) + 1)
        kernels.spread_over_bins(first, last, width, found)
        return found * self.cell_area


@dataclass(frozen=True, eq=False)
class Paths:
    """The cells of a catchment from its outlet up: for each the row of the next one down and the way there.

    ``cells`` (cells,) are their numbers in the padded ground. ``below`` (cells,) is -1 where the water leaves;
    ``lengths`` (cells,) m are the steps down, ``slopes`` (cells,) m/m the fall to the first lower cell down the path
    over the length to it, and ``areas`` (cells,) m2 drain through each.
    """

    cells: Integers
    below: Integers
    lengths: Floats
    slopes: Floats
    areas: Floats
    cell_area: float

    def times(self, rule: VelocityRule) -> TravelTimes:
        """Travel times by a rule of velocity."""
        from tarnwater.terrain import _kernels as kernels

        free = rule.reference * self._weights(rule)
        steps = self._steps(free, rule)
        moves: Flags = self.below >= 0
        low, high = moves & (free < rule.least), moves & (free > rule.most)
        times, limited = np.zeros(len(steps)), np.zeros(len(steps))
        kernels.add_up_paths(self.below, steps, times)
        kernels.add_up_paths(self.below, np.where(low | high, steps, 0.0), limited)
        whole = float(times.sum())
        share = float(limited.sum()) / whole if whole > 0 else 0.0
        return TravelTimes(rule, times, steps, int(low.sum()), int(high.sum()), share, self.cell_area)

    def _weights(self, rule: VelocityRule) -> Floats:
        """s^b A^c over its mean, (cells,)."""
        weight: Floats = self.slopes**rule.slope_power * self.areas**rule.area_power
        mean = weight.mean()
        return weight / mean if mean > 0 else np.zeros(len(weight))

    def _steps(self, free: Floats, rule: VelocityRule) -> Floats:
        """Time of the step down (cells,) s at velocities (cells,) m/s that are not yet kept within the limits."""
        return np.where(self.below >= 0, self.lengths / np.clip(free, rule.least, rule.most), 0.0)

    @cached_property
    def passing(self) -> Floats:
        """Number of the cells (cells,) whose water passes through each, itself included."""
        from tarnwater.terrain import _kernels as kernels

        found = np.ones(len(self.below))
        kernels.count_above(self.below, found)
        return found

    def fitted(self, rule: VelocityRule, lag: float) -> TravelTimes:
        """Travel times with the reference velocity at which their mean is a lag, s, as far as the limits allow."""
        from scipy.optimize import brentq

        weights = self._weights(rule)

        def too_long(log: float) -> float:
            # a step counts for every cell that passes it, so that the mean needs no path to be followed
            return float(self._steps(np.exp(log) * weights, rule) @ self.passing) / len(weights) - lag

        low, high = float(np.log(rule.least)) - 14, float(np.log(rule.most)) + 14
        if too_long(low) <= 0:
            best = low
        elif too_long(high) >= 0:
            best = high
        else:
            best = brentq(too_long, low, high, xtol=1e-12)
        return self.times(replace(rule, reference=float(np.exp(best))))


def paths_within(drainage: Drainage, rows: Integers, columns: Integers) -> Paths:
    """The paths of the water within some cells (cells,), ordered from where it leaves them up."""
    from tarnwater.terrain import _kernels as kernels

    cells = drainage.flat_index(rows, columns)
    # a cell drains more than any of those above it on its path
    cells = cells[np.argsort(-drainage.flat_upstream[cells].astype(np.int64), kind="stable")]
    way = drainage.flat_directions[cells].astype(int)
    inside = way < OUT
    goal = np.where(inside, cells + drainage.offsets[np.where(inside, way, 0)], cells)
    order = np.argsort(cells)
    found = np.searchsorted(cells, goal, sorter=order)
    row = order[np.minimum(found, len(cells) - 1)]
    below = np.where(inside & (cells[row] == goal), row, -1)
    lengths = np.where(inside, drainage.step_lengths[np.where(inside, way, 0)], 0.0)
    slopes = np.zeros(len(cells))
    with one_at_a_time:
        kernels.fall_to_lower(
            cells,
            below,
            drainage.flat_filled,
            drainage.flat_directions,
            drainage.offsets,
            drainage.step_lengths,
            slopes,
        )
    areas = drainage.flat_upstream[cells] * drainage.grid.cell_area
    return Paths(cells, below, lengths, slopes, areas, drainage.grid.cell_area)
