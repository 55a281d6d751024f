"""A depression that keeps its water: a lake without outflow, a quarry."""

from __future__ import annotations

from typing import ClassVar, Literal

import numpy as np

from tarnwater.arrays import Floats
from tarnwater.terrain.features.feature import OFF_THE_GROUND, GroundFeature, Sign
from tarnwater.terrain.shaping import Effect, ShapedGround


class KeptDepression(GroundFeature):
    """A depression whose water does not leave over the ground; its area is left out of every catchment below."""

    kind: Literal["kept-depression"] = "kept-depression"

    title: ClassVar[str] = "kept depression"
    meaning: ClassVar[str] = "does not fill and overflow; the land that drains to it is left out of catchments"
    equation: ClassVar[str] = "its deepest cell is an end of the flow"
    source: ClassVar[str] = "closed basin"
    verified: ClassVar[str] = "a pit in a plane: closed area, area and peak by hand"
    stage: ClassVar[int] = 3
    sign: ClassVar[Sign] = "ring"
    letter: ClassVar[str] = "K"
    drawn_as: ClassVar[Literal["line", "place"]] = "place"

    def apply(self, ground: ShapedGround, line: Floats) -> Effect:
        """Make the pit below the place an end of the flow."""
        grid = ground.grid
        column, row = int((line[0, 0] - grid.west) // grid.width), int((grid.north - line[0, 1]) // grid.height)
        high, wide = grid.shape
        if not (0 <= row < high and 0 <= column < wide) or np.isnan(grid.heights[row, column]):
            return OFF_THE_GROUND
        sink = ground.pit_below(row, column)
        if sink not in ground.sinks:
            ground.sinks.append(sink)
        return Effect(place=grid.centre(*sink), ends_flow=True)
