"""Outlines of catchments drawn by hand: new ones, reshaped, split, merged and mended, each measured on the terrain."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from typing import TYPE_CHECKING, Any, cast

import numpy as np

from tarnwater import units
from tarnwater.errors import EditRefused, OutletError
from tarnwater.formats.shapes import metres_per_unit
from tarnwater.network.elements import Catchment
from tarnwater.progress import Progress
from tarnwater.study.document import Study, changed
from tarnwater.study.document.blobs import Blobs
from tarnwater.study.document.land_maps import following
from tarnwater.study.edits.act import edit
from tarnwater.study.edits.delineation import on_ground
from tarnwater.study.edits.land_survey import FoundLand, survey_land, with_found_land
from tarnwater.study.edits.names import slug, unused_name
from tarnwater.study.edits.network import add_draining, remove_element
from tarnwater.terrain.areas import AreaOnGround, areas_on_ground
from tarnwater.terrain.boundaries import Fault, faults_between, united, without_faults
from tarnwater.terrain.cutting import giving_way, led_along, parts_of, ring_of, split_by
from tarnwater.terrain.drainage import Drainage
from tarnwater.terrain.open_land import OpenLand, open_land

if TYPE_CHECKING:
    from shapely.geometry import MultiPolygon

Line = Sequence[tuple[float, float]]


@dataclass(frozen=True, eq=False)
class Redrawn:
    """Outlines by key that change or are new, names of the new ones, and keys of catchments that go.

    ``into`` says, for new ones and those that go, which catchment takes their place in the network.
    """

    shapes: Mapping[str, MultiPolygon]
    names: Mapping[str, str] = field(default_factory=dict)
    gone: tuple[str, ...] = ()
    into: Mapping[str, str] = field(default_factory=dict)


@dataclass(frozen=True, eq=False)
class MeasuredOutlines:
    """Outlines that were redrawn, each with where it lies on the terrain, if there is one; and their cover and soil."""

    redrawn: Redrawn
    ground: Mapping[str, AreaOnGround]
    metres: float
    land: FoundLand | None = None


def outlines_of(study: Study, blobs: Blobs) -> dict[str, MultiPolygon]:
    """Outlines of the catchments of the study, by key, that its file holds."""
    found = {key: blobs.shape(one.outline) for key, one in study.catchments.items()}
    return {key: cast("MultiPolygon", shape) for key, shape in found.items() if shape is not None}


def drawn_catchment(study: Study, line: Line) -> Redrawn:
    """A new catchment within a closed line."""
    name = unused_name(study, "Catchment")
    key = slug(name, {**study.all_elements, **study.outlets})
    return Redrawn({key: ring_of(line)}, {key: name})


def reshaped(study: Study, blobs: Blobs, key: str, line: Line) -> Redrawn:
    """A catchment whose outline is led along a line; its neighbours give way."""
    outlines = outlines_of(study, blobs)
    own, name = _own(study, outlines, key)
    after = led_along(own, line, name)
    others = [one for one in outlines if one != key]
    moved = giving_way(own, after, [outlines[one] for one in others])
    for number, shape in moved.items():
        if shape.is_empty:
            other = study.name_of(others[number])
            raise EditRefused(f"nothing would be left of {other}.", where=name, remedy="Merge the two instead.")
    return Redrawn({key: after, **{others[number]: shape for number, shape in moved.items()}})


def split(study: Study, blobs: Blobs, key: str, line: Line) -> Redrawn:
    """A catchment split by a line: the part at its outlet keeps its name, the others drain into it."""
    own, name = _own(study, outlines_of(study, blobs), key)
    parts = split_by(own, line, name)
    place = study.elements[f"{key}-outlet"].place if f"{key}-outlet" in study.elements else None
    kept = 0 if place is None else min(range(len(parts)), key=lambda n: parts[n].distance(_point(place)))
    shapes, names = {key: parts[kept]}, {}
    known = {**study.all_elements, **study.outlets}
    taken = {one.name.casefold() for one in study.all_elements.values()}
    for number, part in enumerate(parts):
        if number != kept:
            label = next(f"{name} {n}" for n in range(2, 10_000) if f"{name} {n}".casefold() not in taken)
            taken.add(label.casefold())
            new = slug(label, {**known, **shapes})
            shapes[new], names[new] = part, label
    return Redrawn(shapes, names, into=dict.fromkeys(names, key))


def merged(study: Study, blobs: Blobs, keys: Sequence[str]) -> Redrawn:
    """Catchments merged into the one that lies lowest in the network, or the first."""
    outlines = outlines_of(study, blobs)
    if len(keys) < 2:
        raise EditRefused("two catchments at least are merged.", remedy="Choose several, with Ctrl and a click each.")
    for key in keys:
        _own(study, outlines, key)
    kept = _lowest(study, keys)
    gone = tuple(key for key in keys if key != kept)
    whole = parts_of(united(np.array([outlines[key] for key in keys], object)))
    return Redrawn({kept: whole}, gone=gone, into=dict.fromkeys(gone, kept))


def mended(study: Study, blobs: Blobs, up_to: float) -> tuple[Redrawn, list[Fault]]:
    """Outlines with gaps and overlaps of at most an area, m2, closed, and those that were; `EditRefused` if none is."""
    outlines = outlines_of(study, blobs)
    metres = metres_in(study)
    shapes, closed = without_faults(list(outlines.values()), up_to / metres**2)
    changed_ones = {
        key: parts_of(shape)
        for (key, before), shape in zip(outlines.items(), shapes, strict=True)
        if shape is not before
    }
    if not closed:
        raise EditRefused(
            f"no gap or overlap is as small as {units.show(up_to, 'area', study.units)}.",
            remedy="Choose a greater area, or reshape the outlines.",
        )
    return Redrawn(changed_ones), closed


def faults_of(study: Study, blobs: Blobs) -> list[Fault]:
    """Gaps and overlaps between the catchments of the study, the largest first."""
    return faults_between(list(outlines_of(study, blobs).values()))


def words_of(study: Study, blobs: Blobs, fault: Fault) -> str:
    """A gap or overlap in words, with its area and the catchments it lies between."""
    names = [study.name_of(key) for key in outlines_of(study, blobs)]
    between = [names[number] for number in fault.between]
    area = units.show(fault.area * metres_in(study) ** 2, "area", study.units)
    if fault.kind == "overlap":
        return f"{between[0]} and {between[1]} overlap by {area}"
    return f"a gap of {area} between {', '.join(between[:-1])} and {between[-1]}"


def open_land_of(study: Study, blobs: Blobs, drainage: Drainage) -> list[tuple[str, OpenLand]]:
    """Land that drains to an outfall of the study and lies in no catchment, with the key of the outfall.

    Land that drains to a depression that keeps its water drains to no outfall.
    """
    shapes = list(outlines_of(study, blobs).values())
    found = []
    for key, outfall in study.outfalls.items():
        outlet = study.outlets.get(key.removesuffix("-outlet"))
        place = outlet.place if outlet is not None and outlet.place is not None else outfall.place
        if place is None or not _on_terrain(drainage, place):
            continue
        found += [(key, one) for one in open_land(drainage, place, shapes)]
    return found


def _on_terrain(drainage: Drainage, place: tuple[float, float]) -> bool:
    try:
        drainage.grid.cell_at(*place)
    except OutletError:
        return False
    return True


def metres_in(study: Study) -> float:
    """Metres in one unit of the map; a map without a coordinate system is taken to be in metres."""
    return metres_per_unit(study.map_crs) if study.map_crs else 1.0


def measured(
    study: Study, blobs: Blobs, redrawn: Redrawn, drainage: Drainage | None, progress: Progress | None = None
) -> MeasuredOutlines:
    """Measure outlines that were redrawn on the terrain, if there is one, and their cover and soil on the maps.

    It does all the work, so that entering the result takes no time.
    """
    progress = progress or Progress()
    ground: dict[str, AreaOnGround] = {}
    if drainage is not None:
        assert study.terrain is not None
        threshold = study.terrain.stream_threshold
        found = areas_on_ground(drainage, list(redrawn.shapes.values()), progress.within(0, 0.7), threshold=threshold)
        ground = dict(zip(redrawn.shapes, found, strict=True))
    made = MeasuredOutlines(redrawn, ground, metres_in(study))
    if not study.land_layers or not following(study):
        return made
    trial = take_outlines(changed(study, locked=False), made, blobs)
    keys = [key for key in following(trial, study) if key in redrawn.shapes]
    land = survey_land(trial, blobs, keys, progress.within(0.7, 1))
    return MeasuredOutlines(redrawn, ground, made.metres, land)


@edit("{act}")
def take_outlines(study: Study, made: MeasuredOutlines, blobs: Blobs, act: str = "draw the outlines") -> Study:
    """Enter outlines into the study: they stay as drawn when the terrain is surveyed again.

    New catchments drain where the one they were split from does, or to the one outfall; what drained from those that go
    drains from the one they were merged into. Typed values stay.
    """
    redrawn = made.redrawn
    for key, name in redrawn.names.items():
        study = add_draining(study, Catchment(name=name), key, _goal(study, redrawn.into.get(key, "")))
    for key in redrawn.gone:
        study = remove_element(study, key)
    elements: dict[str, Any] = dict(study.elements)
    for key, shape in redrawn.shapes.items():
        old = elements[key]
        assert isinstance(old, Catchment)
        elements[key] = _redrawn(old, shape, made, made.ground.get(key), blobs)
    outlets = {key: one for key, one in study.outlets.items() if key not in redrawn.gone}
    study = changed(study, elements=elements, outlets=outlets)
    if made.land is not None:
        elements, conditions = with_found_land(study, made.land)
        study = changed(study, elements=elements, conditions=conditions)
    return study


def _goal(study: Study, sibling: str) -> str:
    """Where a catchment drains that was split from another; empty to let it drain to the one outfall."""
    return next((link.down for link in study.links.values() if link.up == sibling), "")


def _redrawn(
    old: Catchment, shape: MultiPolygon, made: MeasuredOutlines, on: AreaOnGround | None, blobs: Blobs
) -> Catchment:
    from shapely import to_wkb

    inside = shape.representative_point()
    update: dict[str, Any] = {
        "area": old.area.with_derived(float(shape.area) * made.metres**2),
        "perimeter": old.perimeter.with_derived(float(shape.length) * made.metres),
        "outline": blobs.add("geometry", to_wkb(shape)),
        "place": (float(inside.x), float(inside.y)),
        "drawn": True,
        "cut_off": False,
        "counts": None,
    }
    if on is not None:
        update |= on_ground(old, on, blobs)
    return old.model_copy(update=update).refreshed()


def _own(study: Study, outlines: Mapping[str, MultiPolygon], key: str) -> tuple[MultiPolygon, str]:
    if key not in outlines:
        raise EditRefused(
            "it has no outline on the map.", where=study.name_of(key), remedy="Choose a catchment with an outline."
        )
    return outlines[key], study.name_of(key)


def _lowest(study: Study, keys: Sequence[str]) -> str:
    """The catchment among some whose water passes none of the others' outlets."""
    below: dict[str, list[str]] = {}
    for link in study.links.values():
        below.setdefault(link.up, []).append(link.down)

    def passed(key: str) -> set[str]:
        seen: set[str] = set()
        waiting = [key]
        while waiting:
            for down in below.get(waiting.pop(), []):
                if down not in seen:
                    seen.add(down)
                    waiting.append(down)
        return seen

    ways = {key: passed(key) for key in keys}
    return min(keys, key=lambda key: (len(ways[key]), list(keys).index(key)))


def _point(place: tuple[float, float]) -> Any:
    from shapely.geometry import Point

    return Point(place)
