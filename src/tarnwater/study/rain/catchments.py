"""The rain of catchments: shares of gauges or of the cells of a grid, and the rain of a stretch of time."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import TYPE_CHECKING

import numpy as np

from tarnwater.arrays import Floats
from tarnwater.errors import EditRefused, StudyFileError, UnknownName
from tarnwater.rain.areas.frames import OUTSIDE, CellShares, Frames, bias_factor, cell_shares, rain_of_frames
from tarnwater.rain.areas.gauges import inverse_distance, nearest, rain_by_shares, thiessen, thiessen_polygons
from tarnwater.study.document import Study
from tarnwater.study.document.blobs import Blobs
from tarnwater.study.rain.records import record_of

if TYPE_CHECKING:
    from shapely.geometry.base import BaseGeometry


@dataclass(frozen=True, eq=False)
class GaugeShares:
    """Shares (catchment, gauge) by their keys; ``typed`` are the catchments whose weights are typed.

    ``lacking`` are catchments without shares, with the reason.
    """

    catchments: tuple[str, ...]
    gauges: tuple[str, ...]
    shares: Floats
    typed: frozenset[str] = frozenset()
    lacking: Mapping[str, str] = field(default_factory=dict)


def rained_on(study: Study) -> list[str]:
    """Keys of the elements that take rain, in every condition."""
    return [key for key, element in study.all_elements.items() if element.takes_rain]


def gauges_in_use(study: Study) -> tuple[str, ...]:
    """Keys of the rain gauges that take part: those chosen, or all that have a place; one alone needs none."""
    rain = [key for key, gauge in study.gauges.items() if gauge.quantity == "rain"]
    chosen = study.catchment_rain.gauges
    if chosen:
        return tuple(key for key in chosen if key in rain)
    placed = tuple(key for key in rain if study.gauges[key].place is not None)
    return placed or tuple(rain[:1])


def gauge_shares(study: Study, blobs: Blobs) -> GaugeShares:
    """Shares of the gauges in the rain of each catchment, by the way of the study and typed weights."""
    keys, gauges = rained_on(study), gauges_in_use(study)
    rule = study.catchment_rain
    shares = np.zeros((len(keys), len(gauges)))
    lacking: dict[str, str] = {}
    if not gauges:
        lacking = dict.fromkeys(keys, "there is no record of rain.")
    elif len(gauges) == 1:
        shares[:] = 1.0
    else:
        shares, lacking = _by_place(study, blobs, keys, gauges)
    typed = set()
    for row, key in enumerate(keys):
        weights = {g: w for g, w in rule.typed.get(key, {}).items() if g in study.gauges}
        if weights and sum(weights.values()) > 0:
            typed.add(key)
            lacking.pop(key, None)
            gauges, shares = _with_gauges(gauges, shares, weights)
            whole = sum(weights.values())
            shares[row] = [weights.get(g, 0.0) / whole for g in gauges]
        elif rule.way == "typed weights" and len(gauges) > 1:
            lacking[key] = "its weights are not typed."
            shares[row] = 0.0
    return GaugeShares(tuple(keys), gauges, shares, frozenset(typed), lacking)


def _with_gauges(
    gauges: tuple[str, ...], shares: Floats, weights: Mapping[str, float]
) -> tuple[tuple[str, ...], Floats]:
    """The gauges with those that only typed weights name, without a share yet."""
    new = tuple(g for g in weights if g not in gauges)
    return gauges + new, np.pad(shares, ((0, 0), (0, len(new))))


def _by_place(study: Study, blobs: Blobs, keys: list[str], gauges: tuple[str, ...]) -> tuple[Floats, dict[str, str]]:
    rule = study.catchment_rain
    shares = np.zeros((len(keys), len(gauges)))
    unplaced = [study.gauges[g].name for g in gauges if study.gauges[g].place is None]
    if unplaced:
        return shares, dict.fromkeys(keys, f"“{unplaced[0]}” has no place on the map.")
    places = np.array([study.gauges[g].place for g in gauges], float)
    outlines = {key: blobs.shape(getattr(study.all_elements[key], "outline", None)) for key in keys}
    lacking: dict[str, str] = {}
    rows = []
    for row, key in enumerate(keys):
        element, outline = study.all_elements[key], outlines[key]
        if outline is None and (rule.way == "Thiessen" or element.place is None):
            lacking[key] = "it has no outline on the map; type its weights."
        else:
            rows.append(row)
    if not rows:
        return shares, lacking
    if rule.way == "Thiessen":
        shares[rows] = thiessen(places, [outlines[keys[row]] for row in rows])
        return shares, lacking
    middles = np.array([_middle(study, outlines[keys[row]], keys[row]) for row in rows])
    shares[rows] = (
        inverse_distance(places, middles, rule.power) if rule.way == "inverse distance" else nearest(places, middles)
    )
    return shares, lacking


def _middle(study: Study, outline: object, key: str) -> tuple[float, float]:
    if outline is not None:
        point = outline.centroid  # type: ignore[attr-defined]
        return point.x, point.y
    place = study.all_elements[key].place
    assert place is not None
    return place


def gauge_polygons(study: Study, blobs: Blobs) -> list[BaseGeometry]:
    """Thiessen polygons of the gauges that have a place, over the catchments; none where they do not count."""
    import shapely

    gauges = gauges_in_use(study)
    places = [place for key in gauges if (place := study.gauges[key].place) is not None]
    shapes = [blobs.shape(getattr(study.all_elements[key], "outline", None)) for key in rained_on(study)]
    known = [shape for shape in shapes if shape is not None]
    if study.catchment_rain.way != "Thiessen" or len(places) < 2 or not known:
        return []
    extent = shapely.box(*shapely.total_bounds(np.array(known, object)))
    return list(thiessen_polygons(np.array(places), extent))


# grids


def frames_of(study: Study, blobs: Blobs, key: str) -> Frames:
    """Frames of a grid; `StudyFileError` if the study file lost them."""
    from tarnwater.formats.series import frames_from_bytes

    if key not in study.rain_grids:
        raise UnknownName(key, study.rain_grids, kind="grid of rain")
    grid = study.rain_grids[key]
    if grid.frames not in blobs:
        raise StudyFileError(
            f"the grid “{grid.name}” is missing from the study file, or damaged.", remedy="Import it again."
        )
    blob = blobs[grid.frames]
    memo = study.memory.of("frames of rain", 4)
    known: Frames | None = memo.get((blob,))
    return memo.put((blob,), frames_from_bytes(blob.data)) if known is None else known


def frames_on_map(study: Study, frames: Frames) -> Frames:
    """Frames with the corners of their cells in the coordinates of the study."""
    if not frames.crs or not study.map_crs:
        return frames
    from dataclasses import replace

    from pyproj import CRS, Transformer

    if CRS.from_user_input(frames.crs) == CRS.from_user_input(study.map_crs):
        return frames
    memo = study.memory.of("frames on the map", 4)
    known: Frames | None = memo.get((frames,), study.map_crs)
    if known is None:
        x, y = Transformer.from_crs(frames.crs, study.map_crs, always_xy=True).transform(
            frames.corners_x, frames.corners_y
        )
        known = memo.put((frames,), replace(frames, corners_x=x, corners_y=y, crs=study.map_crs), study.map_crs)
    return known


@dataclass(frozen=True, eq=False)
class GridShares:
    """Shares of the cells of a grid in catchments, and those that it does not cover, with the reason."""

    catchments: tuple[str, ...]
    cells: CellShares
    lacking: Mapping[str, str]


def grid_shares(study: Study, blobs: Blobs, key: str) -> GridShares:
    """Shares of the cells of a grid in each catchment, by the exact areas in which they meet."""
    frames = frames_on_map(study, frames_of(study, blobs, key))
    keys = rained_on(study)
    outlines = {k: blobs.shape(getattr(study.all_elements[k], "outline", None)) for k in keys}
    known = [k for k in keys if outlines[k] is not None]
    lacking = dict.fromkeys((k for k in keys if outlines[k] is None), "it has no outline on the map.")
    memo = study.memory.of("shares of cells", 8)
    shapes = tuple(outlines[k] for k in known)
    shares: CellShares | None = memo.get((frames, *shapes))
    if shares is None:
        shares = memo.put((frames, *shapes), cell_shares(frames.cells, shapes))
    for k, covered in zip(known, shares.covered, strict=True):
        if covered < 1 - OUTSIDE:
            lacking[k] = f"the grid covers {100 * covered:.4g} % of it."
    return GridShares(tuple(known), shares, lacking)


def bias_of_grid(study: Study, blobs: Blobs, key: str) -> tuple[float, list[str]]:
    """Rain of the gauges on a grid over that of their cells, and the names of the gauges; NaN without any."""
    import shapely

    frames = frames_on_map(study, frames_of(study, blobs, key))
    begin, end, step = int(frames.ends[0] - frames.spans[0]), int(frames.ends[-1]), frames.step
    tree = shapely.STRtree(frames.cells)
    by_cell = frames.values.reshape(len(frames.ends), -1)
    gauge_rain, cell_rain, names = [], [], []
    for name, gauge in study.gauges.items():
        if gauge.place is None or gauge.quantity != "rain":
            continue
        cells = tree.query(shapely.Point(gauge.place), predicate="intersects")
        if len(cells):
            own = record_of(study, blobs, name).in_steps(begin, end, step)
            at = (frames.ends - begin) // step - 1
            gauge_rain.append(own[np.minimum(at, len(own) - 1)])
            cell_rain.append(by_cell[:, cells[0]])
            names.append(gauge.name)
    if not names:
        return float("nan"), []
    return bias_factor(np.concatenate(gauge_rain), np.concatenate(cell_rain)), names


# the rain of a stretch of time


@dataclass(frozen=True, eq=False)
class StretchOfRain:
    """Rain of catchments (by key) in equal steps (s) from a moment, mm, NaN where missing, and how it was found."""

    begin: int
    step: int
    offset: int
    rain: Mapping[str, Floats]
    way: str
    lacking: Mapping[str, str]


def rain_between(study: Study, blobs: Blobs, begin: int, end: int, step: int) -> StretchOfRain:
    """Rain of each catchment from one moment to another (s since 1970) in steps (s).

    Raises `EditRefused` for steps that a grid cannot give, or a stretch without a step.
    """
    if end - begin < step:
        raise EditRefused("the stretch is shorter than a step.", remedy="Choose a longer one, or a shorter step.")
    if study.catchment_rain.way == "grid":
        return _of_grid(study, blobs, begin, end, step)
    shares = gauge_shares(study, blobs)
    records = [record_of(study, blobs, key) for key in shares.gauges]
    depths = np.array([record.in_steps(begin, end, step) for record in records]).reshape(len(records), -1)
    rain = rain_by_shares(shares.shares, depths)
    held = {key: row for key, row in zip(shares.catchments, rain, strict=True) if key not in shares.lacking}
    names = ", ".join(study.gauges[key].name for key in shares.gauges)
    way = study.catchment_rain.way if len(shares.gauges) > 1 else "one gauge"
    offset = records[0].offset if records else 0
    return StretchOfRain(begin, step, offset, held, f"{way}: {names}", shares.lacking)


def _of_grid(study: Study, blobs: Blobs, begin: int, end: int, step: int) -> StretchOfRain:
    key = study.catchment_rain.grid or next(iter(study.rain_grids), "")
    frames, grid = frames_of(study, blobs, key), study.rain_grids[key]
    if step != frames.step:
        raise EditRefused(
            f"the frames of “{grid.name}” last {frames.step} s; a storm of them has that step.",
            remedy="Choose the step of the frames.",
        )
    shares = grid_shares(study, blobs, key)
    inside = (frames.ends - frames.spans >= begin) & (frames.ends <= end)
    own = rain_of_frames(shares.cells, frames.values[inside], factor=grid.factor)
    count = (end - begin) // step
    at = (frames.ends[inside] - begin) // step - 1
    rain = np.full((len(shares.catchments), count), np.nan)
    rain[:, at[at < count]] = own[:, at < count]
    held = {k: row for k, row in zip(shares.catchments, rain, strict=True) if k not in shares.lacking}
    bias = f", times {grid.factor:.4g}" if grid.factor != 1 else ""
    return StretchOfRain(begin, step, frames.offset, held, f"grid: {grid.name}{bias}", shares.lacking)
