"""Which maps of cover and soil hold in a condition, which catchments follow them, and which lag behind."""

from __future__ import annotations

import hashlib
from collections.abc import Iterator
from typing import TYPE_CHECKING

from tarnwater.study.document.blobs import Blobs
from tarnwater.study.document.conditions import lineage
from tarnwater.study.document.cover import LandLayer, LandValue
from tarnwater.study.document.study import Study

if TYPE_CHECKING:
    from shapely.geometry.base import BaseGeometry


def catchments_with_outline(study: Study) -> list[str]:
    """Keys of the catchments of the study that have an outline."""
    return [key for key, one in study.catchments.items() if one.outline is not None]


def following(study: Study, before: Study | None = None) -> list[str]:
    """Keys of the catchments whose land follows the maps: those that do, and, with one that did, those that are new."""
    own = [key for key, one in study.catchments.items() if one.land is not None and not one.land.by_hand]
    if own and before is not None:
        own += [key for key in catchments_with_outline(study) if key not in before.elements]
    return [key for key in study.catchments if key in set(own)]


def layers_in(study: Study, condition: str) -> list[LandLayer]:
    """The layers of a condition from the highest down: its own, those of its parents, those of the study."""
    line = list(lineage(study, condition)[::-1]) if condition else []
    keys = {id(one): key for key, one in study.conditions.items()}
    owners = [keys[id(one)] for one in line] + [""]
    return [layer for owner in owners for layer in study.land_layers.values() if layer.condition == owner]


def made_of(study: Study, key: str) -> str:
    """A digest of what the land of a catchment is measured on: its outline, and the maps."""
    parts = [str(study.catchments[key].outline)]
    for layer in study.land_layers.values():
        parts += [layer.holds, layer.condition, *(f"{one.shapes} {one.meant}" for one in layer.values)]
    return hashlib.sha256("\n".join(parts).encode()).hexdigest()[:16]


def stale(study: Study) -> Iterator[str]:
    """Keys of the catchments whose land was measured on an earlier outline, or on earlier maps."""
    for key in following(study):
        land = study.catchments[key].land
        if land is not None and study.catchments[key].outline is not None and land.made_of != made_of(study, key):
            yield key


def shape_of_value(layer: LandLayer, value: LandValue, blobs: Blobs) -> BaseGeometry | None:
    """The polygons of a value of a map; `StudyFileError` if the study does not hold them any more."""
    what = f"the polygons of the value {value.value} of the map {layer.name}"
    return blobs.kept_shape(value.shapes, what, "Bring the map in again, or restore the file from a copy.")
