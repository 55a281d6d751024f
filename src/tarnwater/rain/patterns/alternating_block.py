"""Alternating block storm (Chow, Maidment and Mays 1988, Section 14.4)."""

from __future__ import annotations

import math
from typing import ClassVar, Literal

import numpy as np

from tarnwater.arrays import Floats
from tarnwater.errors import TableError
from tarnwater.parameters import parameter
from tarnwater.rain.depths import DepthCurve
from tarnwater.rain.patterns.pattern import PeakedPattern

SOURCE = "Chow, Maidment and Mays (1988), Applied Hydrology, Section 14.4"


def alternate(blocks: Floats, peak_position: float) -> Floats:
    """Arrange blocks about the peak.

    That of the shortest duration at the peak, the second after it, the third before it.

    ``peak_position`` (0 to 1) is where in the storm the first block ends; when one side is full, the rest are on the
    other.

    >>> alternate(np.array([5.0, 4.0, 3.0, 2.0, 1.0]), 0.5)
    array([1., 3., 5., 4., 2.])
    """
    count = len(blocks)
    arranged = np.empty(count)
    peak = min(max(math.ceil(peak_position * count - 1e-9) - 1, 0), count - 1)
    before, after = peak - 1, peak + 1
    arranged[peak] = blocks[0]
    for index, block in enumerate(blocks[1:]):
        late = index % 2 == 0
        if (late and after < count) or before < 0:
            arranged[after] = block
            after += 1
        else:
            arranged[before] = block
            before -= 1
    return arranged


class AlternatingBlock(PeakedPattern):
    """Every duration about the peak has the depth of the table."""

    method: Literal["alternating-block"] = "alternating-block"
    peak_position: float = parameter(
        "share",
        "place of the greatest block in the storm",
        label="peak position",
        symbol="r",
        least=0,
        most=1,
        source=SOURCE,
        default=0.5,
    )

    title: ClassVar[str] = "alternating block"
    equation: ClassVar[str] = "ΔP_k = P(k Δt) − P((k − 1) Δt), arranged about the peak"
    source: ClassVar[str] = SOURCE
    verified: ClassVar[str] = (
        "a published hyetograph; the total at any step; every duration about the peak holds its depth, reduced or not"
    )
    nested: ClassVar[bool] = True
    blocks: ClassVar[bool] = True

    @classmethod
    def variants(cls) -> tuple[tuple[str, str, AlternatingBlock], ...]:
        """The pattern with its peak in the middle."""
        return ((cls.tag(), "alternating block (nested)", cls()),)

    def increments(self, curve: DepthCurve, duration: float, step: float) -> Floats:
        """Depth (steps,) in mm of each step (s) of a storm; a shorter last step has the rest.

        Blocks are in the order of their durations, never sorted, so that every window about the peak has the depth of
        its duration.
        """
        count = math.ceil(duration / step - 1e-9)
        depths = curve.depth(np.minimum(np.arange(count + 1) * step, duration))
        blocks = np.diff(depths)
        if (blocks < 0).any():
            raise TableError(
                f"the depths fall with duration at 1 in {curve.return_period:g}; no storm can be made of them.",
                where="depth table",
                remedy="Correct the table: a longer duration never holds less rain.",
            )
        return alternate(blocks, self.peak_position)
