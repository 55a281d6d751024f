"""The line of planned works, such as a dam or a ditch, which leaves the ground as it is."""

from __future__ import annotations

from typing import ClassVar, Literal

from tarnwater.arrays import Floats
from tarnwater.terrain.features.feature import GroundFeature, Sign
from tarnwater.terrain.shaping import Effect, ShapedGround


class Alignment(GroundFeature):
    """The line along which a dam, a ditch or a pipe is planned; water runs as if it were not there."""

    kind: Literal["alignment"] = "alignment"

    title: ClassVar[str] = "alignment"
    meaning: ClassVar[str] = "the line of a planned dam or ditch; the ground stays as it is"
    equation: ClassVar[str] = "none: it is measured on the raw ground"
    source: ClassVar[str] = "drawn or imported"
    verified: ClassVar[str] = "length, fall and slope along a plane by hand; the drainage with and without it"
    stage: ClassVar[int] = 4
    sign: ClassVar[Sign] = "dotted"
    letter: ClassVar[str] = "A"

    changes_ground: ClassVar[bool] = False

    def apply(self, ground: ShapedGround, line: Floats) -> Effect:
        """Change nothing."""
        return Effect()
