"""Features of the ground: what leads or stops water and is not in the heights.

A feature is one module with one model, a `GroundFeature`, which states its contract. To add one: write its module
beside these, and import it here. Culverts and burned streams come first, then walls, then kept depressions; alignments
change nothing.
"""

from collections.abc import Mapping

from tarnwater.arrays import Floats
from tarnwater.terrain.features.alignment import Alignment
from tarnwater.terrain.features.burned_stream import BurnedStream
from tarnwater.terrain.features.culvert import Culvert
from tarnwater.terrain.features.feature import AnyGroundFeature, GroundFeature
from tarnwater.terrain.features.kept_depression import KeptDepression
from tarnwater.terrain.features.wall import Wall
from tarnwater.terrain.grid import Grid
from tarnwater.terrain.shaping import Effect, ShapedGround


def shape(
    grid: Grid, features: Mapping[str, GroundFeature], lines: Mapping[str, Floats]
) -> tuple[ShapedGround, dict[str, Effect]]:
    """Apply features to a terrain, by key, each with its line (points, 2) in the units of the CRS.

    Features of a later stage see the ground as those before left it; within a stage the order changes nothing but
    where the ends of one lie on another. Returns the ground and the effect of each.
    """
    ground = ShapedGround.of(grid)
    effects: dict[str, Effect] = {}
    for key, feature in sorted(features.items(), key=lambda item: item[1].stage):
        effects[key] = feature.apply(ground, lines[key])
    return ground, effects


__all__ = [
    "Alignment",
    "AnyGroundFeature",
    "BurnedStream",
    "Culvert",
    "GroundFeature",
    "KeptDepression",
    "Wall",
    "shape",
]
