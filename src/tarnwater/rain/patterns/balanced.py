"""Balanced storm: the depths of some durations, each about the peak, with even rain between one and the next."""

from __future__ import annotations

from typing import ClassVar, Literal

import numpy as np
from pydantic import model_validator

from tarnwater.arrays import Floats
from tarnwater.parameters import parameter
from tarnwater.rain.depths import DepthCurve
from tarnwater.rain.patterns.chicago import about_peak
from tarnwater.rain.patterns.pattern import PeakedPattern

SOURCE = "US Army Corps of Engineers (1982), Hydrologic Analysis of Ungaged Watersheds, balanced hyetograph"


class Balanced(PeakedPattern):
    """The depth of each duration lies about the peak; what one has more than the next shorter falls evenly around it.

    ``durations`` (s) are those that are nested; without them those of the table. Two are enough: between them the rain
    is even.
    """

    method: Literal["balanced"] = "balanced"
    peak_position: float = parameter(
        "share",
        "place of the peak in the storm",
        label="peak position",
        symbol="r",
        least=0,
        most=1,
        source=SOURCE,
        default=0.5,
    )
    durations: tuple[float, ...] = ()

    title: ClassVar[str] = "balanced"
    equation: ClassVar[str] = "the depth of each duration about the peak, r of it before; P straight between durations"
    source: ClassVar[str] = SOURCE
    verified: ClassVar[str] = "a storm of two pairs by hand; every nested duration about the peak; the total"
    nested: ClassVar[bool] = True

    @model_validator(mode="after")
    def _rising(self) -> Balanced:
        if any(d <= 0 for d in self.durations) or list(self.durations) != sorted(set(self.durations)):
            raise ValueError("the nested durations must be above zero and rise")
        return self

    @classmethod
    def variants(cls) -> tuple[tuple[str, str, Balanced], ...]:
        """The pattern of all durations of the table, with its peak in the middle."""
        return ((cls.tag(), "balanced (nested)", cls()),)

    def increments(self, curve: DepthCurve, duration: float, step: float) -> Floats:
        """Depth (steps,) in mm of each step (s) of a storm of a duration (s)."""
        nested = [d for d in self.durations or curve.table.own_durations if d < duration]
        pairs = np.array([0.0, *nested, duration])
        depths = np.append(0.0, curve.depth(pairs[1:]))
        return about_peak(lambda d: np.interp(d, pairs, depths), duration, self.peak_position, step)
