"""Transforms by an instantaneous response: water that falls at once, and the share of it that has left by each time."""

from __future__ import annotations

from abc import abstractmethod
from typing import ClassVar

import numpy as np

from tarnwater.arrays import Floats
from tarnwater.parameters import Setting
from tarnwater.runoff.transforms.transform import LinearTransform
from tarnwater.runoff.transforms.unit_hydrograph import UnitHydrograph, at_step, inner_steps

#: A response is cut off where this share of its water remains.
LEFT_OUT = 1e-6

#: Share of the lag above which a step is cut into inner ones.
INNER_SHARE = 0.1


class InstantaneousTransform(LinearTransform):
    """The unit hydrograph of a step is the rise of the S-curve over it: u(t) = [S(t) - S(t - dt)] / dt.

    S is the share of water fallen at once that has left by a time; it is read exactly, so that the ordinates do not
    depend on the step. Volumes come from inner steps where the step is above a tenth of the lag.
    """

    #: Name of the curve.
    curve: ClassVar[str]
    unit_equation: ClassVar[str] = "U(t) = A [S(t) − S(t − Δt)] / Δt"

    @abstractmethod
    def left(self, times: Floats, lag: float) -> Floats:
        """S: the share of water fallen at once that has left by times (s), of their shape, with a lag (s)."""

    @abstractmethod
    def length(self, lag: float) -> float:
        """Time (s) by which all but a millionth has left."""

    def _make(self, area: float, lag: float, step: float) -> UnitHydrograph:
        inner = inner_steps(step, INNER_SHARE * (lag if self.needs_lag else self.delay or step))
        fine, end = step / inner, self.length(lag)
        whole = float(self.left(np.array([end]), lag)[0])

        def by(times: Floats) -> Floats:
            # the last millionth leaves with the rest
            return np.where(times >= end, 1.0, self.left(times, lag) / whole)

        def rising(times: Floats) -> Floats:
            return np.atleast_2d(0.001 * area * (by(times) - by(times - fine)) / fine)

        found = at_step(rising, np.array([end + fine]), area, step, inner)
        ordinates, volumes = found.ordinates[0], found.volumes[0]
        top = int(np.argmax(ordinates))
        scale = float(found.scale[0]) / whole
        peak = float(ordinates[top]) / scale
        return UnitHydrograph(ordinates, volumes, step, inner, 0.0, (top + 1) * step, peak, scale, self.curve)


def value_of(setting: Setting[float], derived: float) -> float:
    """The typed value of a setting, or one that was derived anew."""
    typed = setting.typed_value
    return derived if typed is None else typed
