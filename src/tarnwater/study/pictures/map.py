"""The map of a study as data: relief shading, streams, outlines, paths, profiles."""

from __future__ import annotations

import hashlib
import json
from collections.abc import Mapping
from dataclasses import dataclass
from pathlib import Path
from typing import TYPE_CHECKING
from zipfile import BadZipFile

import numpy as np

from tarnwater import units
from tarnwater.arrays import Floats
from tarnwater.network.elements import Catchment, Pond, Reach
from tarnwater.network.graph import Network
from tarnwater.plots import Axis, Curve, Mark, Plot
from tarnwater.study.document import Study, Terrain
from tarnwater.study.document.blobs import Blobs
from tarnwater.study.edits.cells import cells_within
from tarnwater.terrain.drainage import Drainage
from tarnwater.terrain.features import GroundFeature
from tarnwater.terrain.grid import Grid
from tarnwater.terrain.lines import Lines
from tarnwater.terrain.measures import profile_of_line
from tarnwater.terrain.shade import Pyramid, hillshade
from tarnwater.terrain.streams import StreamField

if TYPE_CHECKING:
    from shapely.geometry.base import BaseGeometry

#: Steps of height of a hypsometric curve.
HYPSOMETRIC_STEPS = 100

#: Rows of a terrain that are worked on at a time.
STRIP = 512

#: Streams can be drawn down to this many cells.
FEWEST_STREAM_CELLS = 50


@dataclass(frozen=True, eq=False)
class Extent:
    """Extent of a terrain, in the units of its CRS, with the size of a cell."""

    west: float
    north: float
    width: float
    height: float
    rows: int
    columns: int
    metres: float = 1.0

    @classmethod
    def of(cls, grid: Grid) -> Extent:
        """Extent of a grid."""
        return cls(grid.west, grid.north, grid.width, grid.height, *grid.shape, grid.metres)

    @property
    def east(self) -> float:
        """Its eastern edge."""
        return self.west + self.columns * self.width

    @property
    def south(self) -> float:
        """Its southern edge."""
        return self.north - self.rows * self.height


#: Codes of changed ground: from 1 for a little lowered, from 128 for a little raised ground.
RAISED = 128

#: Least change that is shown, m, and steps for each doubling of it.
LEAST_SHOWN, STEPS_A_DOUBLING = 0.01, 10


@dataclass(frozen=True, eq=False)
class GroundPicture:
    """A picture of a terrain: relief shading, the streams at its threshold, and where the ground was changed.

    ``moved`` holds codes: 0 where it was not, up to 127 where it was lowered, from `RAISED` where it was raised.
    """

    extent: Extent
    light: Pyramid
    streams: Lines
    moved: Pyramid

    def save(self, path: Path) -> None:
        """Save it in a file, completely or not at all."""
        path.parent.mkdir(parents=True, exist_ok=True)
        e = self.extent
        part = path.with_suffix(".part")
        with part.open("wb") as file:
            np.savez(
                file,
                extent=np.array([e.west, e.north, e.width, e.height, e.rows, e.columns, e.metres]),
                light=self.light.levels[0],
                moved=self.moved.levels[0],
                points=self.streams.points,
                first=self.streams.first,
                weight=self.streams.weight,
            )
        part.replace(path)

    @classmethod
    def load(cls, path: Path) -> GroundPicture | None:
        """Read what `save` wrote; None if there is no complete file."""
        try:
            with path.open("rb") as file, np.load(file, allow_pickle=False) as kept:
                west, north, width, height, rows, columns, metres = kept["extent"].tolist()
                extent = Extent(west, north, width, height, int(rows), int(columns), metres)
                streams = Lines(kept["points"], kept["first"], kept["weight"])
                moved = Pyramid.of(kept["moved"], keep="most")
                return cls(extent, Pyramid.of(kept["light"]), streams, moved)
        except (OSError, ValueError, KeyError, EOFError, BadZipFile):
            return None


def picture_of(drainage: Drainage, streams: Lines) -> GroundPicture:
    """The picture of a drained terrain with some streams on it."""
    grid = drainage.grid
    light = hillshade(grid.heights, grid.dx, grid.dy)
    moved = Pyramid.of(_moved_ground(grid.heights, drainage.filled), keep="most")
    return GroundPicture(Extent.of(grid), Pyramid.of(light), streams, moved)


def _moved_ground(raw: np.ndarray, conditioned: np.ndarray) -> np.ndarray:
    """Codes (uint8) of how far the ground was raised or lowered; strip by strip, to need little memory."""
    codes = np.zeros(raw.shape, np.uint8)
    for top in range(0, len(raw), STRIP):
        strip = slice(top, top + STRIP)
        change = np.nan_to_num(conditioned[strip] - raw[strip], nan=0.0)
        with np.errstate(divide="ignore"):
            step = 1 + STEPS_A_DOUBLING * np.log2(np.abs(change) / LEAST_SHOWN)
        step = np.clip(step, 0, RAISED - 1).astype(np.uint8)
        codes[strip] = np.where(step > 0, np.where(change > 0, np.minimum(step, 126) + RAISED, step), 0)
    return codes


def stream_field(drainage: Drainage) -> StreamField:
    """Streams of a terrain at any useful threshold."""
    return StreamField(drainage, FEWEST_STREAM_CELLS * drainage.grid.cell_area)


def terrain_digest(terrain: Terrain, features: Mapping[str, GroundFeature], *, with_threshold: bool = True) -> str:
    """Digest of the inputs of the drained terrain with its features, and of its stream threshold."""
    made_of: list[object] = [
        terrain.grid,
        [(v.number, v.treatment) for v in terrain.voids],
        [
            feature.model_dump(mode="json", exclude={"name", "note"})
            for feature in features.values()
            if feature.changes_ground
        ],
        [terrain.breach_depth, terrain.breach_length] if terrain.breaches else [],
    ]
    if with_threshold:
        made_of.append(terrain.stream_threshold)
    return hashlib.sha256(json.dumps(made_of).encode()).hexdigest()[:32]


def outlines(network: Network, blobs: Blobs) -> dict[str, list[Floats]]:
    """Rings of each catchment that has an outline, by key."""
    found: dict[str, list[Floats]] = {}
    for key, element in network.elements.items():
        shape = blobs.shape(element.outline) if isinstance(element, Catchment) else None
        if shape is not None:
            found[key] = _rings_of(shape)
    return found


def waters(network: Network, blobs: Blobs) -> dict[str, list[Floats]]:
    """Rings of the water of each pond at its top, by key, where its storage was cut from the terrain."""
    found: dict[str, list[Floats]] = {}
    for key, element in network.elements.items():
        for digest in element.waters if isinstance(element, Pond) else ():
            if (shape := blobs.shape(digest)) is not None:
                found.setdefault(key, []).extend(_rings_of(shape))
    return found


def _rings_of(shape: BaseGeometry) -> list[Floats]:
    return [np.array(ring.coords) for part in shape.geoms for ring in (part.exterior, *part.interiors)]


def catchment_at(network: Network, blobs: Blobs, x: float, y: float) -> str | None:
    """Key of the catchment whose outline contains a place."""
    from shapely import intersects_xy

    for key, element in network.elements.items():
        shape = blobs.shape(element.outline) if isinstance(element, Catchment) else None
        if shape is not None and intersects_xy(shape, x, y):
            return key
    return None


def path_of(network: Network, blobs: Blobs, key: str) -> Floats | None:
    """Line (points, 2) of a reach, or of the longest flow path of a catchment, from its head down."""
    element = network.elements.get(key)
    line = blobs.shape(element.path if isinstance(element, Reach) else getattr(element, "flow_path", None))
    return None if line is None else np.array(line.coords)


def heights_within(network: Network, blobs: Blobs, drainage: Drainage, key: str) -> Floats:
    """Heights of the raw ground (cells,) m within the outline of a catchment; none for other elements."""
    found: Floats = drainage.grid.heights[cells_within(network, blobs, drainage, key)].astype(float)
    return found


def hypsometric_plot(study: Study, network: Network, blobs: Blobs, drainage: Drainage, key: str) -> Plot | None:
    """Share of a catchment that lies above each height, and its mean height; None where no ground lies in it."""
    heights = np.sort(heights_within(network, blobs, drainage, key))
    if not len(heights):
        return None
    system, element = study.units, network.elements[key]
    unit = units.display_unit("height", float(heights[-1]), system)
    up = units.factor_of(unit, "height")
    levels = np.linspace(heights[0], heights[-1], HYPSOMETRIC_STEPS + 1)
    above = 100 * (1 - np.searchsorted(heights, levels, side="left") / len(heights))
    told = [units.show(v, "height", system) for v in (float(heights[0]), float(heights.mean()), float(heights[-1]))]
    title = f"Heights of {element.name} · lowest {told[0]} · mean {told[1]} · highest {told[2]}"
    half = float(np.median(heights))
    mark = Mark(50.0, half / up, f"half lies above {units.show(half, 'height', unit=unit)}")
    room = 0.06 * (heights[-1] - heights[0])
    low, high = float(heights[0] - room) / up, float(heights[-1] + room) / up
    axes = Axis("of the area lies above", "%", low=0.0, high=100.0), Axis("height", unit, low=low, high=high or None)
    return Plot(title, *axes, curves=(Curve(above, levels / up, "ink", "hypsometric curve"),), marks=(mark,))


def profile_plot(study: Study, network: Network, blobs: Blobs, drainage: Drainage, key: str) -> Plot | None:
    """Long profile along the path of an element, with its 10 and 85 per cent points; the raw terrain behind it."""
    line = path_of(network, blobs, key)
    if line is None:
        return None
    profile, system, element = profile_of_line(drainage, line), study.units, network.elements[key]
    length = profile.length
    unit = units.display_unit("length", length, system)
    height_unit = units.display_unit("height", float(profile.height.max()), system)
    along, up = units.factor_of(unit, "length"), units.factor_of(height_unit, "height")
    far = (length - profile.distance) / along
    what = "Longest flow path of " if isinstance(element, Catchment) else "Reach "
    fall = units.show(profile.fall, "length", system)
    title = f"{what}{element.name} · {units.show(length, 'length', system)} · fall {fall}"
    marks: list[Mark] = []
    if isinstance(element, Catchment) and length > 0:
        title += f" · slope between 10 and 85 %: {units.show(profile.slope_10_85, 'slope', system)}"
        marks = [
            Mark(
                length * (1 - share) / along, profile.height_at(share) / up,
                f"{100 * share:.0f} % up: {units.show(profile.height_at(share), 'height', unit=height_unit)}",
            )
            for share in (0.85, 0.10)
        ]  # fmt: skip
    low = float(min(profile.raw.min(), profile.height.min())) / up
    room = 0.08 * float(np.ptp(profile.height)) / up
    curves = [Curve(far, profile.height / up, "ink", "conditioned ground", filled=True)]
    if not np.array_equal(profile.raw, profile.height):
        curves.insert(0, Curve(far, profile.raw / up, "quiet", "raw terrain"))
    axes = (
        Axis("from the head", unit, low=0.0, high=float(far[-1]) or None),
        Axis("height", height_unit, low=low - room),
    )
    return Plot(title, *axes, curves=tuple(curves), marks=tuple(marks))
