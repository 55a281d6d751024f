"""A known stream that is burned into the ground."""

from __future__ import annotations

from typing import ClassVar, Literal

import numpy as np

from tarnwater.arrays import Floats
from tarnwater.parameters import parameter
from tarnwater.terrain.features.feature import OFF_THE_GROUND, GroundFeature, Sign
from tarnwater.terrain.shaping import Effect, ShapedGround


class BurnedStream(GroundFeature):
    """A known stream or ditch: its cells are lowered, and fall all the way."""

    kind: Literal["burned-stream"] = "burned-stream"
    depth: float = parameter(
        "length", "depth by which the stream is lowered", symbol="d", above=0, most=1000, usual=(0.2, 20), default=3.0
    )

    title: ClassVar[str] = "burned stream"
    meaning: ClassVar[str] = "keeps the water in a known stream or ditch"
    equation: ClassVar[str] = "z_i = min(z_i − d, z_(i−1)) from the higher end of the line down"
    source: ClassVar[str] = "stream burning, with a bed that never rises"
    verified: ClassVar[str] = "a ditch across a plane: area, peak and volume by hand"
    stage: ClassVar[int] = 1
    sign: ClassVar[Sign] = "broken"
    letter: ClassVar[str] = "B"
    leads_water: ClassVar[bool] = True

    def apply(self, ground: ShapedGround, line: Floats) -> Effect:
        """Lower the cells of the line by the depth, and further where the bed would rise downstream."""
        rows, columns, _ = ground.course(line)
        if not len(rows):
            return OFF_THE_GROUND
        # against the raw ground: where two streams meet, the depth must not be taken off twice
        raw = ground.grid.heights[rows, columns].astype(float)
        downstream = slice(None) if raw[0] >= raw[-1] else slice(None, None, -1)
        bed = np.minimum.accumulate((raw - self.depth)[downstream])[downstream]
        return ground.lower(rows, columns, bed)
