"""The map of a study as layers of shapes with fields, for other programs."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from dataclasses import dataclass, field
from typing import TYPE_CHECKING, Literal

import numpy as np

from tarnwater.cover.classes import COMMON
from tarnwater.network.elements import Catchment, Element, Reach
from tarnwater.study.answers.land import table_of
from tarnwater.study.document import Study
from tarnwater.study.document.blobs import Blobs
from tarnwater.study.pictures.land import LandSign, Theme, land_picture
from tarnwater.terrain.drainage import Drainage
from tarnwater.terrain.streams import stream_lines

if TYPE_CHECKING:
    from shapely.geometry.base import BaseGeometry

Cell = str | float | None

#: Names of the layers, in the order in which they are written.
LAYER_NAMES = (
    "catchments", "cover", "soils", "flow_paths", "reaches", "streams", "points", "outlets", "ground_features",
    "depressions",
)  # fmt: skip


@dataclass(eq=False)
class ShapeLayer:
    """Shapes of one kind with the values of their fields, whose names have at most ten letters.

    ``signs`` are how shapes of cover or soil are hatched in a drawing, one for each shape.
    """

    name: str
    geometry: Literal["MultiPolygon", "LineString", "Point", "Unknown"]
    fields: tuple[str, ...]
    shapes: list[BaseGeometry] = field(default_factory=list)
    rows: list[tuple[Cell, ...]] = field(default_factory=list)
    signs: list[LandSign] = field(default_factory=list)

    def add(self, shape: BaseGeometry, *values: Cell) -> None:
        """Add a shape with its values, in the order of the fields."""
        self.shapes.append(shape)
        self.rows.append(values)

    def column(self, number: int) -> np.ndarray:
        """Values (shapes,) of one field: numbers where all are, otherwise texts."""
        values = [row[number] for row in self.rows]
        if all(value is None or isinstance(value, int | float) for value in values):
            return np.array([np.nan if value is None else float(value) for value in values])
        return np.array([None if value is None else str(value) for value in values], object)

    def __len__(self) -> int:
        return len(self.shapes)


def shape_layers_of(
    study: Study, blobs: Blobs, drainage: Drainage | None, names: Mapping[str, str] | None = None
) -> dict[str, ShapeLayer]:
    """The layers of the map by name, those that hold something; values are in SI units.

    Streams need the ``drainage`` of the terrain; ``names`` are those of covers in other programs.
    """
    known = names or {}
    makers = {
        "catchments": _catchments(study, blobs, known),
        "cover": _land(study, blobs, "cover", known),
        "soils": _land(study, blobs, "soils", known),
        "flow_paths": _flow_paths(study, blobs),
        "reaches": _reaches(study, blobs),
        "streams": _streams(study, drainage),
        "points": _points(study),
        "outlets": _outlets(study),
        "ground_features": _features(study, blobs),
        "depressions": _depressions(study),
    }
    return {name: makers[name] for name in LAYER_NAMES if len(makers[name])}


def _held(study: Study, blobs: Blobs, kind: type[Element], part: str) -> Iterator[tuple[str, Element, BaseGeometry]]:
    for key, element in study.elements.items():
        shape = blobs.shape(getattr(element, part)) if isinstance(element, kind) else None
        if shape is not None:
            yield key, element, shape


#: Letters of a text in a shapefile, at most.
MOST_LETTERS = 250


def _land(study: Study, blobs: Blobs, theme: Theme, known: Mapping[str, str]) -> ShapeLayer:
    """The polygons of cover, or of soil groups and textures, the lowest first."""
    from shapely.geometry import MultiPolygon

    layer = ShapeLayer(theme, "MultiPolygon", ("name", "class", "colour"))
    picture = land_picture(study, blobs, next(iter(study.conditions)), theme)
    for shape, number in zip(picture.shapes, picture.sign.tolist(), strict=True):
        sign = picture.signs[number]
        layer.add(MultiPolygon([shape]), known.get(sign.words, sign.words), sign.words, sign.colour)
        layer.signs.append(LandSign(known.get(sign.words, sign.words), sign.colour, sign.hatch))
    return layer


def _covers(study: Study, one: Catchment, known: Mapping[str, str]) -> tuple[Cell, Cell, Cell, Cell]:
    """The cover with the largest share, all with theirs, the runoff coefficient up to 10 years, and the share that is
    impervious; None where the surfaces are made by hand.
    """
    table = table_of(study, one)
    if table is None or not table.total:
        return None, None, None, None
    areas: dict[str, float] = {}
    for row in table.rows:
        name = "" if row.cover is None else row.cover.name
        areas[known.get(name, name)] = areas.get(known.get(name, name), 0.0) + row.area
    order = sorted(areas, key=lambda name: -areas[name])
    told = "; ".join(f"{name or 'unknown'} {100 * areas[name] / table.total:.1f} %" for name in order)
    return order[0], told[:MOST_LETTERS], table.coefficient(COMMON), table.impervious


def _catchments(study: Study, blobs: Blobs, known: Mapping[str, str]) -> ShapeLayer:
    names = (
        "key", "name", "area_m2", "perim_m", "cn", "lag_s", "tc_s", "mean_slope", "relief_m", "path_m", "path_slope",
        "slope1085", "centroid_m", "dd_m_m2", "cover", "covers", "c_10", "impervious",
    )  # fmt: skip
    layer = ShapeLayer("catchments", "MultiPolygon", names)
    for key, one, shape in _held(study, blobs, Catchment, "outline"):
        assert isinstance(one, Catchment)
        measures = (
            one.area, one.perimeter, None, one.lag, one.concentration, one.mean_slope, one.relief, one.flow_length,
            one.path_slope, one.slope_10_85, one.centroid_length, one.drainage_density,
        )  # fmt: skip
        values = [one.curve_number if m is None else m.value for m in measures]
        layer.add(shape, key, one.name, *values, *_covers(study, one, known))
    return layer


def _flow_paths(study: Study, blobs: Blobs) -> ShapeLayer:
    layer = ShapeLayer("flow_paths", "LineString", ("key", "name", "length_m", "slope", "slope1085"))
    for key, one, shape in _held(study, blobs, Catchment, "flow_path"):
        assert isinstance(one, Catchment)
        layer.add(shape, key, one.name, one.flow_length.value, one.path_slope.value, one.slope_10_85.value)
    return layer


def _reaches(study: Study, blobs: Blobs) -> ShapeLayer:
    layer = ShapeLayer("reaches", "LineString", ("key", "name", "length_m", "slope"))
    for key, one, shape in _held(study, blobs, Reach, "path"):
        assert isinstance(one, Reach)
        layer.add(shape, key, one.name, one.length.value, one.slope.value)
    return layer


def _streams(study: Study, drainage: Drainage | None) -> ShapeLayer:
    from shapely.geometry import LineString

    layer = ShapeLayer("streams", "LineString", ("order", "length_m"))
    if drainage is not None and study.terrain is not None:
        metres = drainage.grid.metres
        for stream in stream_lines(drainage, study.terrain.stream_threshold):
            if len(stream.line) < 2:
                continue
            line = LineString(stream.line)
            layer.add(line, float(stream.order), line.length * metres)
    return layer


def _points(study: Study) -> ShapeLayer:
    from shapely.geometry import Point

    layer = ShapeLayer("points", "Point", ("key", "name", "kind"))
    for key, element in study.elements.items():
        if element.place is not None:
            layer.add(Point(element.place), key, element.name, element.tag())
    return layer


def _outlets(study: Study) -> ShapeLayer:
    from shapely.geometry import Point

    layer = ShapeLayer("outlets", "Point", ("key", "name", "moved_m", "before_m2", "after_m2"))
    for key, outlet in study.outlets.items():
        place = outlet.place or outlet.asked
        layer.add(Point(place), key, outlet.name, outlet.moved, outlet.area_before, outlet.area_after)
    return layer


def _features(study: Study, blobs: Blobs) -> ShapeLayer:
    layer = ShapeLayer("ground_features", "Unknown", ("key", "name", "kind", "size_m"))
    for key, feature in study.ground_features.items():
        shape = blobs.shape(feature.line)
        if shape is not None:
            layer.add(shape, key, feature.name, feature.tag(), getattr(feature, feature.size) if feature.size else None)
    return layer


def _depressions(study: Study) -> ShapeLayer:
    from shapely.geometry import Point

    layer = ShapeLayer("depressions", "Point", ("area_m2", "depth_m", "volume_m3", "level_m", "within"))
    for found in study.terrain.depressions if study.terrain is not None else ():
        within = study.name_of(found.within) if found.within else None
        layer.add(Point(found.place), found.area, found.depth, found.volume, found.level, within)
    return layer
