"""The unit hydrograph of a catchment from the rain and the flow of an event."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from tarnwater.arrays import Floats
from tarnwater.errors import EditRefused
from tarnwater.runoff.transforms.transform import Transform
from tarnwater.runoff.transforms.typed_unit import TypedUnitHydrograph
from tarnwater.units import Quantity

SOURCE = "Chow, Maidment and Mays (1988), Applied Hydrology, Sections 7.5 and 7.6"

#: Depth for which the ordinates are given, mm: 1 cm, as handbooks do.
DEPTH = 10.0


@dataclass(frozen=True, eq=False)
class EventUnit:
    """What an event tells of a catchment.

    Parameters
    ----------
    unit : the unit hydrograph by non-negative least squares, of the step of the event.
    forward : ordinates by forward division, m3/s per ``DEPTH``, which swing where the data are rounded.
    excess : (step,) mm; ``loss_rate`` mm/h is the constant loss that leaves it.
    base, direct : (ordinate,) m3/s, the straight line below the flow and the flow above it.
    rebuilt : (ordinate,) m3/s, direct flow from the excess by ``unit``.
    depth : runoff, mm.
    """

    unit: TypedUnitHydrograph
    forward: Floats
    excess: Floats
    loss_rate: float
    base: Floats
    direct: Floats
    rebuilt: Floats
    depth: float

    @property
    def misfit(self) -> float:
        """Greatest difference of direct flow and rebuilt flow over the peak."""
        return float(np.abs(self.rebuilt - self.direct).max() / self.direct.max())


def unit_from_event(rain: Sequence[float], flow: Sequence[float], area: float, step: float) -> EventUnit:
    """The unit hydrograph of an area (m2) from rain (step,) mm and flow (ordinate,) m3/s at the ends of steps (s).

    The first flow is that before the rain. Baseflow is the straight line from the first to the last flow; the loss is
    the constant rate that leaves as much excess as ran off. Raises `EditRefused` for an event that cannot tell.
    """
    depths, flows = np.array(rain, float), np.array(flow, float)
    _refuse_odd(depths, flows)
    base = np.linspace(flows[0], flows[-1], len(flows))
    direct = np.maximum(flows - base, 0.0)
    depth = float(np.sum(direct[1:] + direct[:-1]) / 2 * step / (0.001 * area))
    if depth <= 0:
        raise EditRefused(
            "the event has less runoff than baseflow: nothing stands above the line from its first to its last flow.",
            remedy="Give an event with a flood, from before it rises until it has gone back.",
        )
    if depth > depths.sum() * (1 + 1e-9):
        raise EditRefused(
            "{} ran off, but {} fell.",
            values=(Quantity(depth, "rain", 4), Quantity(float(depths.sum()), "rain", 4)),
            remedy="Check the area, the units of rain and flow, and that the rain is that of the catchment.",
        )
    rate = _constant_loss(depths, depth)
    excess = np.maximum(depths - rate, 0.0)
    first, last = np.flatnonzero(excess)[[0, -1]]
    length = len(flows) - 1 - last
    if length < 1:
        raise EditRefused("the flow ends before the rain does.", remedy="Give the flow until it has gone back.")
    ordinates = _fitted(excess[first : last + 1], direct[first + 1 :], length, 0.001 * area / step)
    forward = _divided(excess[first : last + 1], direct[first + 1 :], length)
    rebuilt = np.zeros(len(flows))
    rebuilt[1:] = np.convolve(excess, ordinates)[: len(flows) - 1]
    times = tuple(step * k for k in range(1, length + 1))
    flows_of_unit = tuple(float(q) for q in DEPTH * ordinates)
    unit = TypedUnitHydrograph(duration=step, depth=DEPTH, times=times, flows=flows_of_unit)
    return EventUnit(unit, DEPTH * forward, excess, rate * 3600 / step, base, direct, rebuilt, depth)


def _refuse_odd(rain: Floats, flow: Floats) -> None:
    if len(rain) < 1 or len(flow) < 3 or len(flow) < len(rain) + 1:
        raise EditRefused(
            f"{len(rain)} steps of rain need at least {max(len(rain) + 1, 3)} flows; {len(flow)} were given.",
            remedy="Give a flow before the rain and one at the end of each step, until the flood has gone back.",
        )
    for values, what in ((rain, "rain"), (flow, "flow")):
        if not np.isfinite(values).all() or values.min() < 0:
            raise EditRefused(f"the {what} of the event has a value below zero or none.", remedy="Correct it.")
    if rain.sum() == 0:
        raise EditRefused("no rain fell in the event.", remedy="Give the rain that made the flood.")


def _constant_loss(rain: Floats, depth: float) -> float:
    """The loss in each step (mm) that leaves a depth of excess: exact, by the sorted depths."""
    falling = np.sort(rain)[::-1]
    sums = np.cumsum(falling)
    for count in range(1, len(falling) + 1):
        rate = (sums[count - 1] - depth) / count
        below = falling[count] if count < len(falling) else 0.0
        if rate >= below:
            return float(max(rate, 0.0))
    return 0.0


def _fitted(excess: Floats, direct: Floats, length: int, volume: float) -> Floats:
    """Ordinates (length,) m3/s per mm that are nowhere below zero and hold ``volume`` (m3/s per mm, their sum)."""
    from scipy.optimize import nnls

    rows = len(direct)
    matrix = np.zeros((rows, length))
    for number, depth in enumerate(excess):
        matrix += depth * np.eye(rows, length, k=-number)
    # unit volume weighs as much as the whole flood
    weight = 10.0 * float(np.abs(matrix).sum()) / length
    found, _ = nnls(np.vstack([matrix, np.full((1, length), weight)]), np.append(direct, weight * volume))
    total = float(found.sum())
    scaled: Floats = found * (volume / total) if total > 0 else np.full(length, volume / length)
    return scaled


def _divided(excess: Floats, direct: Floats, length: int) -> Floats:
    """Ordinates by forward division, Q_n = Σ Pe_m U_(n−m+1) solved one after the other."""
    found = np.zeros(length)
    for n in range(length):
        known = sum(excess[m] * found[n - m] for m in range(1, min(n, len(excess) - 1) + 1))
        found[n] = (direct[n] - known) / excess[0]
    return found


def averaged_with(present: Transform, unit: TypedUnitHydrograph) -> TypedUnitHydrograph:
    """The mean of a unit hydrograph and that of a catchment; `EditRefused` where that has no points."""
    if not isinstance(present, TypedUnitHydrograph):
        raise EditRefused("the present transform has no points to average.", remedy="Take the new one alone.")
    return averaged([present, unit])


def averaged(units: Sequence[TypedUnitHydrograph]) -> TypedUnitHydrograph:
    """The mean of unit hydrographs of one duration: each is moved so that its peak is at the mean time of the peaks.

    Raises `EditRefused` where durations differ.
    """
    first = units[0]
    if any(abs(one.duration / first.duration - 1) > 1e-9 for one in units):
        raise EditRefused("the unit hydrographs have other durations.", remedy="Average those of one duration.")
    step = first.duration
    tops = [one.times[int(np.argmax(one.flows))] for one in units]
    middle = float(np.mean(tops))
    longest = max(one.times[-1] for one in units) + max(middle - top for top in tops)
    times = step * np.arange(1.0, np.ceil(longest / step - 1e-9) + 1)
    shares = []
    for one, top in zip(units, tops, strict=True):
        known, flows = (0.0, *one.times), (0.0, *(flow / one.depth for flow in one.flows))
        shares.append(np.interp(times - (middle - top), known, flows, left=0.0, right=0.0))
    mean = np.mean(shares, axis=0)
    volume = np.mean([one.own_area for one in units]) * 0.001
    mean *= volume / (float(mean.sum()) * step)
    return TypedUnitHydrograph(
        duration=step, depth=DEPTH, times=tuple(map(float, times)), flows=tuple(float(q) for q in DEPTH * mean)
    )  # fmt: skip
