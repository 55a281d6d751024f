"""A typed unit hydrograph, for its duration or turned to another."""

from __future__ import annotations

from typing import Any, ClassVar, Literal, Self

import numpy as np
from pydantic import model_validator

from tarnwater.arrays import Floats
from tarnwater.errors import EditRefused
from tarnwater.parameters import parameter, refuse_uneven
from tarnwater.runoff.transforms.finite import FiniteTransform
from tarnwater.runoff.transforms.unit_hydrograph import UnitHydrograph, at_step, inner_steps

SOURCE = "Chow, Maidment and Mays (1988), Applied Hydrology, Sections 7.5 and 7.8; Lawson and Hanson (1974)"

#: Weight of the bends of a turned unit hydrograph against the misfit to the typed one.
SMOOTHING = 0.02

#: Most ordinates of a turned unit hydrograph.
MOST_TURNED = 2000


class TypedUnitHydrograph(FiniteTransform):
    """Flow from a depth of rain that falls evenly in a duration, typed or pasted as times and flows.

    At a step of its own duration it is used exactly as typed, linear between its points; at another it is turned.
    """

    method: Literal["typed-unit-hydrograph"] = "typed-unit-hydrograph"
    duration: float = parameter(
        "time", "duration of its rain", label="duration of its rain", symbol="D", above=0, most=366 * 86400,
        usual=(60, 86400),
    )  # fmt: skip
    depth: float = parameter(
        "rain", "depth of its rain", label="depth of its rain", symbol="Pe", above=0, most=1e4, usual=(1, 26),
        default=10.0,
    )  # fmt: skip
    times: tuple[float, ...] = parameter("time", "times since its rain began", label="times", symbol="t", least=0)
    flows: tuple[float, ...] = parameter("flow", "flows at the times", label="flows", symbol="q", least=0, most=1e7)

    needs_lag: ClassVar[bool] = False
    of_points: ClassVar[bool] = True
    title: ClassVar[str] = "typed unit hydrograph"
    equation: ClassVar[str] = (
        "as typed at Δt = D; else by its S-curve, S(t) = Σ U(t − k D), with non-negative least squares"
    )
    source: ClassVar[str] = SOURCE
    verified: ClassVar[str] = (
        "a published convolution; a triangle turned to its half and its double against its S-curve"
    )

    @model_validator(mode="after")
    def _fits(self) -> Self:
        refuse_uneven("a unit hydrograph", ("times", "flows"), self.times, self.flows)
        if max(self.flows) == 0:
            raise EditRefused("the unit hydrograph has no flow.", remedy="Give its flows.")
        return self

    @property
    def delay(self) -> float:
        """Time from the middle of its rain to its peak, s."""
        return max(self.times[int(np.argmax(self.flows))] - self.duration / 2, 0.5 * self.duration)

    @property
    def own_area(self) -> float:
        """Area over which its depth of rain has its volume, m2."""
        return self.volume / (0.001 * self.depth)

    @property
    def volume(self) -> float:
        """Its volume, m3, from zero to zero."""
        times, flows = self._closed()
        return float(np.sum(np.diff(times) * (flows[1:] + flows[:-1]) / 2))

    def _closed(self) -> tuple[Floats, Floats]:
        """Its points, from no flow at time zero, and with no flow an interval after the last if that has one."""
        times, flows = np.array(self.times), np.array(self.flows)
        if times[0] > 0:
            times, flows = np.append(0.0, times), np.append(0.0, flows)
        if flows[-1] > 0:
            times, flows = np.append(times, 2 * times[-1] - times[-2]), np.append(flows, 0.0)
        return times, flows

    def _make(self, area: float, lag: float, step: float) -> UnitHydrograph:
        inner = inner_steps(step, self.duration)
        fine = step / inner
        times, flows = self._closed()
        told = "as typed"
        if abs(fine / self.duration - 1) > 1e-9:
            times, flows, residual = turned(times, flows, self.duration, fine)
            told = f"turned to {fine / 60:.4g} min, off by {100 * residual:.2g} % of the peak"
        flows = flows / self.depth

        def curve(asked: Floats) -> Floats:
            return np.atleast_2d(np.interp(asked, times, flows, left=0.0, right=0.0))

        found = at_step(curve, times[-1:], area, step, inner)
        top = int(np.argmax(flows))
        return UnitHydrograph(
            found.ordinates[0], found.volumes[0], step, inner, self.duration, float(times[top]), float(flows[top]),
            float(found.scale[0]), told,
        )  # fmt: skip


def turned(times: Floats, flows: Floats, duration: float, step: float) -> tuple[Floats, Floats, float]:
    """Times (s) and flows of the unit hydrograph of a shorter step (s) that gives one of a duration (s) back.

    Rain of the duration is rain of its steps, one after the other, so the typed flows are the running mean of those
    sought. They are found as the non-negative ones of unit volume that come nearest, with little bend: the difference
    of two S-curves swings where the typed flows are rounded. The residual is the greatest misfit over the peak.
    """
    from scipy.optimize import nnls

    length = max(2, int(np.ceil(times[-1] / step - 1e-9)))
    if length > MOST_TURNED:
        raise EditRefused(
            f"its {times[-1] / 3600:.4g} h take {length} steps of {step:.4g} s.",
            remedy="Take a coarser step.",
        )
    at = np.arange(1, length + 1) * step
    wanted = np.interp(at, times, flows, right=0.0)
    blocks = duration / step
    mean = np.zeros((length, length))
    for late in range(int(np.ceil(blocks - 1e-9))):
        mean += min(1.0, blocks - late) * np.eye(length, k=-late)
    mean /= blocks
    scale = float(wanted.max())
    bends: Any = np.diff(np.eye(length), n=2, axis=0) * SMOOTHING
    volume = np.full((1, length), 1.0)
    heavy = 100.0 / length
    wanted_volume = float(np.sum(np.diff(times) * (flows[1:] + flows[:-1]) / 2)) / step
    matrix = np.vstack([mean, bends, heavy * volume])
    right = np.concatenate([wanted, np.zeros(len(bends)), [heavy * wanted_volume]]) / scale
    found, _ = nnls(matrix, right, maxiter=30 * length)
    found *= scale
    residual = float(np.abs(mean @ found - wanted).max()) / scale
    # the last ordinate falls to nothing in a step of its own
    return np.concatenate([[0.0], at, [at[-1] + step]]), np.concatenate([[0.0], found, [0.0]]), residual
