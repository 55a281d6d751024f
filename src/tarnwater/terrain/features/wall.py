"""A wall, kerb or flood bank that stops water and is too thin for the grid."""

from __future__ import annotations

from typing import ClassVar, Literal

from tarnwater.arrays import Floats
from tarnwater.parameters import parameter
from tarnwater.terrain.features.feature import OFF_THE_GROUND, GroundFeature, Sign
from tarnwater.terrain.shaping import Effect, ShapedGround


class Wall(GroundFeature):
    """A wall: water goes round it, and over it only where it stands higher than the wall."""

    kind: Literal["wall"] = "wall"
    height: float = parameter(
        "length", "height of the wall above the ground", symbol="h", above=0, most=1000, usual=(0.1, 30), default=3.0
    )

    title: ClassVar[str] = "wall"
    meaning: ClassVar[str] = "stops water; culverts pass through it"
    equation: ClassVar[str] = "z = z + h in the cells of the line"
    source: ClassVar[str] = "cells that share an edge, so that no water passes diagonally"
    verified: ClassVar[str] = "a wall down a plane: area and peak by hand"
    stage: ClassVar[int] = 2
    sign: ClassVar[Sign] = "ticked"
    letter: ClassVar[str] = "W"

    def apply(self, ground: ShapedGround, line: Floats) -> Effect:
        """Raise the cells of the line, except those of culverts."""
        rows, columns, _ = ground.along(line)
        if not len(rows):
            return OFF_THE_GROUND
        return ground.lift(rows, columns, self.height)
