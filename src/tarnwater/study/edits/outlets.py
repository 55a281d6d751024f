"""Outlets in number: from points of a file, and to divide land into parts of about one size."""

from __future__ import annotations

from collections.abc import Iterable, Mapping

from tarnwater import units
from tarnwater.errors import OutletError, OutOfRange, UnknownName
from tarnwater.formats.vector import Rejected, VectorLayer
from tarnwater.progress import Progress
from tarnwater.study.document import Outlet, Study, Terrain
from tarnwater.study.edits.delineation import on_its_cell
from tarnwater.study.edits.names import slug
from tarnwater.terrain.catchments import delineate
from tarnwater.terrain.drainage import Drainage
from tarnwater.terrain.outlets import snap
from tarnwater.terrain.subdivision import ENOUGH, subdivide


def with_outlets(study: Study, named: Iterable[tuple[str, Outlet]]) -> dict[str, Outlet]:
    """The outlets of a study with more of them, each under a new key, with a number where its name is taken."""
    outlets = dict(study.outlets)
    taken = {e.name.casefold() for e in study.all_elements.values()} | {o.name.casefold() for o in outlets.values()}
    for stem, outlet in named:
        name, number = stem, 2
        while name.casefold() in taken:
            name, number = f"{stem} {number}", number + 1
        taken.add(name.casefold())
        key = slug(name, {**study.all_elements, **outlets})
        outlets[key] = outlet.model_copy(update={"name": name})
    return outlets


def outlets_from(
    study: Study, drainage: Drainage, layer: VectorLayer, *, name_field: str = "", accept: bool = False
) -> tuple[dict[str, Outlet], tuple[Rejected, ...]]:
    """The outlets of a study with those at the points of a layer in its coordinate system, and what was left out.

    A shape with several points gives several outlets. Points without a stream near are left out, unless accepted.
    """
    terrain = _terrain_of(study)
    named: list[tuple[str, Outlet]] = []
    left = list(layer.rejected)
    for index, shape in enumerate(layer.shapes):
        number, stated = layer.numbers[index], layer.value(name_field, index) if name_field else None
        points = [part for part in getattr(shape, "geoms", [shape]) if part.geom_type == "Point"]
        if not points:
            left.append(Rejected(number, "is no point"))
        for point in points:
            place = (float(point.x), float(point.y))
            name = str(stated) if stated not in (None, "") else f"Place {number}"
            try:
                snap(
                    drainage,
                    *place,
                    threshold=terrain.stream_threshold,
                    radius=terrain.snap_radius,
                    name=name,
                    accept=accept,
                )
            except OutletError as error:
                left.append(Rejected(number, f"{name}: {error.what}", place))
            else:
                named.append((name, Outlet(name=name, asked=place, accepted_as_is=accept)))
    return with_outlets(study, named), tuple(left)


def divided_outlets(
    study: Study, drainage: Drainage, size: float, keys: Iterable[str] = (), progress: Progress | None = None
) -> dict[str, Outlet]:
    """The outlets of a study with those that divide some of its catchments, or all, into parts of a size, m2.

    New outlets are named after the one below, with numbers from the top down. Raises `OutOfRange` where the stream
    threshold is larger than half the size: then such parts have no stream to end on.
    """
    terrain = _terrain_of(study)
    if terrain.stream_threshold > ENOUGH * size:
        told = units.show(terrain.stream_threshold, "area", study.units)
        raise OutOfRange(
            f"the stream threshold, {told}, is more than half of {units.show(size, 'area', study.units)}.",
            remedy="Set a smaller threshold, or divide into larger parts.",
        )
    chosen = set(keys) or set(study.outlets)
    for key in chosen:
        if key not in study.outlets:
            raise UnknownName(key, study.outlets, kind="outlet")
    order = list(study.outlets)
    base = delineate(drainage, [on_its_cell(drainage, outlet) for outlet in study.outlets.values()])
    found = subdivide(base, size, tuple(order.index(key) for key in order if key in chosen), progress)
    names = _numbered([study.outlets[order[int(base.labels[cell]) - 1]].name for cell in found])
    new = [
        (name, Outlet(name=name, asked=drainage.grid.centre(*cell))) for name, cell in zip(names, found, strict=True)
    ]
    return with_outlets(study, new)


def _numbered(stems: list[str]) -> list[str]:
    counted: dict[str, int] = {}
    names = []
    for stem in stems:
        counted[stem] = counted.get(stem, 0) + 1
        names.append(f"{stem} {counted[stem]}")
    return names


def _terrain_of(study: Study) -> Terrain:
    if study.terrain is None:
        raise OutletError("the study has no terrain.", where=study.title, remedy="Open an elevation grid first.")
    return study.terrain


def removed(outlets: Mapping[str, Outlet], names: Iterable[str]) -> dict[str, Outlet]:
    """The outlets without those of some names (or keys), whatever their case; `UnknownName` with the nearest."""
    kept = dict(outlets)
    for name in names:
        key = next((k for k, o in kept.items() if name == k or o.name.casefold() == name.casefold()), None)
        if key is None:
            raise UnknownName(name, [o.name for o in outlets.values()], kind="outlet")
        del kept[key]
    return kept
