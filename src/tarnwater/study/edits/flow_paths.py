"""Flow paths: drawn on the map, with or without a terrain, and divided into sheet, shallow and channel flow."""

from __future__ import annotations

from collections.abc import Sequence
from itertools import pairwise
from typing import Any

import numpy as np

from tarnwater.arrays import Floats
from tarnwater.errors import EditRefused
from tarnwater.formats.shapes import metres_per_unit
from tarnwater.network.elements import Catchment
from tarnwater.network.elements.flow_path import PATH_KINDS, PathPart
from tarnwater.study.document import Study
from tarnwater.study.document.blobs import Blobs
from tarnwater.study.edits.act import edit
from tarnwater.study.edits.delineation import heights_of, line_blob, parts_along
from tarnwater.study.edits.replacing import with_element_changed
from tarnwater.terrain.drainage import Drainage
from tarnwater.terrain.measures import Profile, channel_length, profile_of_line


@edit("draw the flow path of {key}")
def draw_flow_path(
    study: Study, key: str, line: Sequence[tuple[float, float]], blobs: Blobs, drainage: Drainage | None = None
) -> Study:
    """Give a catchment a flow path that was drawn from its head down; it stays when the terrain is surveyed again.

    On a terrain its slopes follow from the heights of the conditioned ground; without one only its length is known, and
    the slope follows from heights that are typed for its ends.
    """
    points = np.array(line, float).reshape(-1, 2)
    if len(points) < 2 or not (np.diff(points, axis=0) != 0).any():
        raise EditRefused(
            "a flow path has two places at least.", where=study.name_of(key), remedy="Draw it from its head down."
        )
    profile = None if drainage is None else _profile(study, key, drainage, points)
    metres = metres_per_unit(study.map_crs) if study.map_crs else 1.0
    length = float(np.hypot(*np.diff(points, axis=0).T).sum() * metres)

    def changed(old: Any) -> Any:
        if not isinstance(old, Catchment):
            raise EditRefused("only a catchment has a flow path.", where=old.name)
        update: dict[str, Any] = {
            "path_drawn": True,
            "flow_path": line_blob(points, blobs),
            "flow_length": old.flow_length.with_derived(length),
            "path_slope": old.path_slope.with_derived(None if profile is None else max(profile.slope, 0.0)),
            "slope_10_85": old.slope_10_85.with_derived(None if profile is None else profile.slope_10_85),
            "path_heights": None if profile is None else heights_of(profile),
            "raw_slope": None if profile is None else profile.on_raw_ground.slope_10_85,
        }
        if profile is not None and drainage is not None:
            update |= parts_along(old, profile, channel_length(drainage, profile.line, _threshold(study)))
        elif old.path_parts:
            update |= {"path_profile": ()}
        return old.model_copy(update=update).refreshed()

    return with_element_changed(study, key, changed)


@edit("leave the flow path of {key} to the terrain")
def undraw_flow_path(study: Study, key: str) -> Study:
    """Let the next survey of the terrain find the flow path of a catchment again."""
    return with_element_changed(study, key, lambda old: old.model_copy(update={"path_drawn": False}))


@edit("divide the flow path of {key}")
def divide_flow_path(study: Study, key: str, blobs: Blobs, drainage: Drainage | None = None) -> Study:
    """Divide the flow path of a catchment into sheet, shallow and channel flow.

    Sheet flow takes the first 30.48 m; the channel begins where the terrain has a stream; the rest is shallow. All of
    it can be typed. Without a terrain the lengths that are not known are left open.
    """
    owner = study.elements.get(key)
    if not isinstance(owner, Catchment):
        raise EditRefused("only a catchment has a flow path.", where=study.name_of(key))
    profile = profile_of(study, key, blobs, drainage)
    parts = tuple(PathPart(kind=kind) for kind in PATH_KINDS)
    new = owner.model_copy(update={"path_parts": parts, "path_profile": ()})
    if profile is not None and drainage is not None:
        channel = channel_length(drainage, profile.line, _threshold(study))
        new = new.model_copy(update=parts_along(new, profile, channel))
    return with_element_changed(study, key, lambda _: new.refreshed())


def _threshold(study: Study) -> float | None:
    return None if study.terrain is None else study.terrain.stream_threshold


@edit("do not divide the flow path of {key}")
def join_flow_path(study: Study, key: str) -> Study:
    """Take the flow path of a catchment as a whole again."""
    return with_element_changed(study, key, lambda old: old.model_copy(update={"path_parts": (), "path_profile": ()}))


def profile_of(study: Study, key: str, blobs: Blobs, drainage: Drainage | None) -> Profile | None:
    """The long profile of the flow path of a catchment on the terrain; None without either."""
    owner = study.elements.get(key)
    shape = blobs.shape(owner.flow_path) if isinstance(owner, Catchment) else None
    if drainage is None or shape is None:
        return None
    return _profile(study, key, drainage, np.array(shape.coords)[:, :2])


def _profile(study: Study, key: str, drainage: Drainage, points: Floats) -> Profile:
    """Heights along a line at every half of a cell at least; `EditRefused` where it leaves the terrain."""
    grid = drainage.grid
    step = 0.5 * min(grid.width, grid.height)
    dense = [points[:1]]
    for start, end in pairwise(points):
        count = max(int(np.ceil(np.hypot(*(end - start)) / step)), 1)
        dense.append(start + (end - start) * (np.arange(1, count + 1) / count)[:, None])
    line = np.concatenate(dense)
    columns = np.floor((line[:, 0] - grid.west) / grid.width).astype(int)
    rows = np.floor((grid.north - line[:, 1]) / grid.height).astype(int)
    inside = (rows >= 0) & (rows < grid.shape[0]) & (columns >= 0) & (columns < grid.shape[1])
    if not inside.all() or not np.isfinite(grid.heights[rows, columns]).all():
        raise EditRefused(
            "the flow path leaves the terrain.", where=study.name_of(key), remedy="Draw it on ground with heights."
        )
    return profile_of_line(drainage, line)
