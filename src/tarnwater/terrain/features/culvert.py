"""A culvert or bridge opening that leads water through an embankment."""

from __future__ import annotations

from typing import ClassVar, Literal

import numpy as np

from tarnwater.arrays import Floats
from tarnwater.terrain.features.feature import OFF_THE_GROUND, GroundFeature, Sign
from tarnwater.terrain.shaping import Effect, ShapedGround


class Culvert(GroundFeature):
    """A way for water through an embankment, from its higher end to its lower one."""

    kind: Literal["culvert"] = "culvert"

    title: ClassVar[str] = "culvert"
    meaning: ClassVar[str] = "leads water through an embankment"
    equation: ClassVar[str] = "z = min(z, z1 + (z2 − z1) s / L) along the line, z1 and z2 the lowest ground at its ends"
    source: ClassVar[str] = "linear invert between the ground at both ends"
    verified: ClassVar[str] = "a bank across a plane: area, peak and volume by hand"
    stage: ClassVar[int] = 1
    sign: ClassVar[Sign] = "double"
    letter: ClassVar[str] = "C"
    leads_water: ClassVar[bool] = True

    def apply(self, ground: ShapedGround, line: Floats) -> Effect:
        """Lower the cells of the line to a straight invert between the ground at both ends."""
        rows, columns, along = ground.course(line)
        if not len(rows):
            return OFF_THE_GROUND
        first, last = (ground.lowest_beside(int(rows[i]), int(columns[i])) for i in (0, -1))
        length = float(along[-1] - along[0])
        share = (along - along[0]) / length if length > 0 else np.zeros(len(along))
        ground.passages[rows, columns] = True
        return ground.lower(rows, columns, first + (last - first) * share)
