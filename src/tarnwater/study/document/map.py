"""What the map of a study shows beside the study: backgrounds, and views that were saved."""

from __future__ import annotations

from typing import Literal

from pydantic import Field

from tarnwater.frozen import FrozenDict
from tarnwater.parameters import Model, Name


class Background(Model):
    """A picture or lines from a file under the map; they are no part of any computation.

    ``path`` is relative to the folder of the study, or whole if the file lies elsewhere. ``layer`` is that of a file
    with several, ``crs`` the coordinate system where the file states none. One that is not ``shown`` waits in the list
    of the layers.
    """

    name: Name
    path: str
    kind: Literal["picture", "lines"]
    layer: str = ""
    crs: str = ""
    shown: bool = True


class LayerShown(Model):
    """How one layer of the map is shown: whether, and how opaque (0 to 1)."""

    key: str
    shown: bool = True
    opacity: float = Field(1.0, ge=0, le=1, allow_inf_nan=False)


class MapLabels(Model):
    """What the labels of the catchments tell beside their names, and where those stand that were moved."""

    fields: tuple[str, ...] = ("area",)
    moved: FrozenDict[tuple[float, float]] = FrozenDict()


class SavedView(Model):
    """A view of the map: middle and width in the units of the CRS, layers from the lowest up, what colours the land."""

    name: Name
    middle: tuple[float, float]
    width: float = Field(gt=0, le=1e9, allow_inf_nan=False)
    layers: tuple[LayerShown, ...]
    alone: str = ""
    coloured_by: str = ""
    contours: float = Field(0.0, ge=0, allow_inf_nan=False)
