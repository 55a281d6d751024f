"""Chicago storm: every duration about the peak has its depth, in continuous time (Keifer and Chu 1957)."""

from __future__ import annotations

import math
from collections.abc import Callable
from typing import ClassVar, Literal

import numpy as np

from tarnwater.arrays import Floats
from tarnwater.errors import TableError
from tarnwater.parameters import parameter
from tarnwater.rain.depths import DepthCurve
from tarnwater.rain.patterns.pattern import PeakedPattern

SOURCE = "Keifer and Chu (1957), Journal of the Hydraulics Division ASCE 83"


def about_peak(depth: Callable[[Floats], Floats], duration: float, peak_position: float, step: float) -> Floats:
    """Rain (steps,) in mm of a storm in which each duration about the peak holds its depth.

    A duration d lies from r d before the peak to (1 - r) d after it. What falls before the peak in the time t is then
    r P(t / r), and after it (1 - r) P(t / (1 - r)). ``depth`` gives P, mm, of durations (s); a shorter last step has
    the rest.
    """
    count = math.ceil(duration / step - 1e-9)
    peak = peak_position * duration
    ends = np.minimum(np.arange(count + 1) * step, duration)
    before, after = np.maximum(peak - ends, 0.0), np.maximum(ends - peak, 0.0)
    fallen = np.zeros(count + 1)
    if peak_position > 0:
        fallen += peak_position * (depth(np.array(duration)) - depth(before / peak_position))
    if peak_position < 1:
        fallen += (1 - peak_position) * depth(after / (1 - peak_position))
    rain: Floats = np.diff(fallen)
    if (rain < -1e-9).any():
        raise TableError(
            "the depths fall with duration; no storm can be made of them.",
            where="depth table",
            remedy="Correct the table: a longer duration never holds less rain.",
        )
    return np.maximum(rain, 0.0)


class Chicago(PeakedPattern):
    """Every duration that is divided by the peak in the ratio r to 1 - r has the depth of the table."""

    method: Literal["chicago"] = "chicago"
    peak_position: float = parameter(
        "share",
        "place of the peak in the storm",
        label="peak position",
        symbol="r",
        least=0,
        most=1,
        source=SOURCE,
        default=0.375,
    )

    title: ClassVar[str] = "Chicago"
    equation: ClassVar[str] = "ΔP = r ΔP(t / r) before the peak, (1 − r) ΔP(t / (1 − r)) after it, t from the peak"
    source: ClassVar[str] = SOURCE
    verified: ClassVar[str] = (
        "its intensities for a / (d + b)^c by the equations of Keifer and Chu; every duration about the peak; the total"
    )
    nested: ClassVar[bool] = True

    @classmethod
    def variants(cls) -> tuple[tuple[str, str, Chicago], ...]:
        """The pattern with its usual peak."""
        return ((cls.tag(), "Chicago (nested)", cls()),)

    def increments(self, curve: DepthCurve, duration: float, step: float) -> Floats:
        """Depth (steps,) in mm of each step (s) of a storm of a duration (s)."""
        return about_peak(curve.depth, duration, self.peak_position, step)
