"""Maps of cover and soil as pictures: polygons with the sign of each, for the screen and for print."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

import numpy as np

from tarnwater.arrays import Floats, Integers
from tarnwater.cover import find_cover, soil_textures
from tarnwater.cover.classes import Hatch
from tarnwater.study.document import Study
from tarnwater.study.document.blobs import Blobs
from tarnwater.study.document.land_maps import layers_in, shape_of_value

Theme = Literal["cover", "soils"]

#: Colours of the soil groups, from the most pervious on; a dual group is that of its wet land, hatched.
GROUP_COLOURS = {"A": "#ddd0a0", "B": "#c4a877", "C": "#9d8464", "D": "#6f6a74"}

#: Colours of textures, from sand to clay.
TEXTURE_COLOURS = (
    "#e6d9a8", "#dcca98", "#cfba8a", "#c0a97c", "#b3a383", "#b08f6a", "#a17f5f", "#937865", "#8a6a55", "#7d6560",
    "#6e5a58",
)  # fmt: skip


@dataclass(frozen=True)
class LandSign:
    """How land of one class, group or texture is drawn."""

    words: str
    colour: str
    hatch: Hatch = "plain"


@dataclass(frozen=True, eq=False)
class LandPicture:
    """Polygons (polygons,), the lowest first, the number of the sign (polygons,) of each, and their bounds (…, 4)."""

    signs: tuple[LandSign, ...]
    shapes: np.ndarray
    sign: Integers
    bounds: Floats

    def __len__(self) -> int:
        return len(self.shapes)


def land_picture(study: Study, blobs: Blobs, condition: str, theme: Theme, *, whole: bool = True) -> LandPicture:
    """The maps of cover, or of soil groups and textures, as a condition has them.

    Raises `StudyFileError` if polygons are lost, unless it need not be ``whole``.
    """
    import shapely

    signs: dict[str, LandSign] = {}
    shapes: list[object] = []
    numbers: list[int] = []
    for layer in reversed(layers_in(study, condition)):
        if (layer.holds == "cover") != (theme == "cover"):
            continue
        for value in reversed(layer.values):
            if not value.meant:
                continue
            held = shape_of_value(layer, value, blobs) if whole else blobs.shape(value.shapes)
            if held is None:
                continue
            signs.setdefault(value.meant, sign_of(study, value.meant))
            parts = shapely.get_parts(shapely.get_parts(held))
            shapes += list(parts)
            numbers += [list(signs).index(value.meant)] * len(parts)
    found = np.array(shapes, object)
    bounds = shapely.bounds(found) if len(found) else np.empty((0, 4))
    return LandPicture(tuple(signs.values()), found, np.array(numbers, np.int64), bounds)


def sign_of(study: Study, means: str) -> LandSign:
    """The sign of a class of cover, a soil group or a texture."""
    letters = means.split("/")
    if letters[-1] in GROUP_COLOURS:
        return LandSign(f"soil group {means}", GROUP_COLOURS[letters[-1]], "slanting" if len(letters) > 1 else "plain")
    textures = list(soil_textures())
    if means in textures:
        return LandSign(means, TEXTURE_COLOURS[textures.index(means)])
    cover = find_cover(means, study.cover_classes)
    return LandSign(means, cover.colour, cover.hatch)
