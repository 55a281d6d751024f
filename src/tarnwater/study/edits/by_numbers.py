"""Edits from text of the command line: elements, rain, terrain."""

from __future__ import annotations

import re
from collections.abc import Callable, Collection, Mapping, Sequence
from pathlib import Path
from typing import Any, cast, get_args

import numpy as np

from tarnwater import units
from tarnwater.errors import BadInput, OutletError, TableError, UnknownName
from tarnwater.formats.shapes import metres_per_unit, read_shapes
from tarnwater.formats.vector import in_system, read_vector
from tarnwater.parameters import Setting, typed
from tarnwater.progress import Progress
from tarnwater.rain.areal import ArealCurve, ArealReduction
from tarnwater.rain.depth_table import DepthTable
from tarnwater.rain.depths import Series
from tarnwater.rain.patterns import Pattern, variants
from tarnwater.rain.storms import StormFamily
from tarnwater.study import edits
from tarnwater.study.document import Outlet, Study, Terrain, changed, checked
from tarnwater.study.document.blobs import Blobs
from tarnwater.study.document.feature_lines import feature_named
from tarnwater.study.edits import slug
from tarnwater.study.edits.act import edit
from tarnwater.study.edits.assignments import assign, new_element
from tarnwater.study.edits.conditioning import condition_terrain, terrain_of
from tarnwater.study.edits.delineation import completed, delineate_into, outlets_named, survey, take_survey
from tarnwater.study.edits.ground import drawn_feature, features_from, reshape, sized
from tarnwater.study.edits.outlets import divided_outlets, outlets_from, removed, with_outlets
from tarnwater.study.edits.polygons import Drains, Fields, offer, plan, proposed_fields, take_polygons
from tarnwater.terrain.drainage import Drainage
from tarnwater.terrain.voids import VoidTreatment


def _label_of_shape(kind: str, remove: Sequence[str], **_: Any) -> str:
    parts = [f"add {kind}s" if kind else "", f"remove {', '.join(remove)}" if remove else ""]
    return "shape the ground" + "".join(f": {part}" for part in [" and ".join(p for p in parts if p)] if part)


@edit(_label_of_shape)
def reshape_by_numbers(
    study: Study,
    blobs: Blobs,
    *,
    kind: str = "",
    line: str = "",
    source: Path | None = None,
    layer: str = "",
    crs: str = "",
    name: str = "",
    name_field: str = "",
    size: float | None = None,
    size_field: str = "",
    remove: Sequence[str] = (),
    holes: Sequence[str] = (),
    settings: Mapping[str, float] | None = None,
    tell: Callable[[str], None] = lambda _: None,
) -> Study:
    """Add a feature along a typed line, or features from a file; remove some; set limits of breaching and holes.

    ``size`` m is a height or depth, ``settings`` are those of the terrain; ``tell`` is told what was left out.
    """
    if study.terrain is None:
        raise OutletError("the study has no terrain.", where=study.title, remedy="Delineate on a terrain first.")
    gone = {feature_named(study, one) for one in remove}
    features = {key: one for key, one in study.ground_features.items() if key not in gone}
    base = changed(study, ground_features=features)
    if kind and line:
        values = {} if size is None else sized(kind, size)
        key, feature = drawn_feature(base, kind, places_in(line), blobs, name=name, **values)
        features[key] = feature
    elif kind:
        if source is None:
            raise BadInput("the feature has no line.", where=kind, remedy="Give --line X,Y X,Y … or --from FILE.")
        shapes = in_system(read_vector(source, layer or None, crs=crs or None), study.terrain.crs)
        for field in (name_field, size_field):
            if field and field not in shapes.fields:
                raise UnknownName(field, shapes.fields, kind="field", where=str(source))
        made, left = features_from(
            base, kind, shapes, blobs, name=name, name_field=name_field, size=size, size_field=size_field
        )
        for note in (*shapes.notes, *(f"row {one.number} {one.what}" for one in left)):
            tell(note)
        if not made:
            raise BadInput(f"no {kind} could be made.", where=str(source), remedy="Give a layer of lines.")
        features |= made
    act = _label_of_shape(kind, remove)
    return reshape(
        study,
        blobs,
        act,
        features=features,
        treatments=_treatments(study, holes),
        **cast("dict[str, Any]", settings or {}),
    )


def _label_of_outlets(
    add: Sequence[str] = (),
    source: Path | None = None,
    remove: Sequence[str] = (),
    divide: float | None = None,
    **_: Any,
) -> str:
    parts = [
        f"place {', '.join(add)}" if add else "",
        f"place those of {source.name}" if source else "",
        f"remove {', '.join(remove)}" if remove else "",
        f"divide into parts of {units.show(divide, 'area')}" if divide else "",
    ]
    return f"outlets: {'; '.join(part for part in parts if part)}"


@edit(_label_of_outlets)
def outlets_by_numbers(
    study: Study,
    blobs: Blobs,
    *,
    add: Sequence[str] = (),
    source: Path | None = None,
    layer: str = "",
    crs: str = "",
    name_field: str = "",
    accept: bool = False,
    remove: Sequence[str] = (),
    divide: float | None = None,
    within: str = "",
    tell: Callable[[str], None] = lambda _: None,
) -> Study:
    """Place outlets given as ``X,Y,NAME`` or by the points of a file, remove some, divide land into parts of a size.

    ``divide`` m2 is for all catchments, or for that of the outlet ``within``; ``tell`` is told what was left out.
    """
    drainage = terrain_of(study, blobs)
    terrain = study.terrain
    assert terrain is not None
    outlets = removed(study.outlets, remove)
    if add:
        places = outlets_named([_outlet(text, number) for number, text in enumerate(add, start=1)])
        kept = [(o.name, o.model_copy(update={"accepted_as_is": accept})) for o in places.values()]
        outlets = with_outlets(changed(study, outlets=outlets), kept)
    if source is not None:
        shapes = in_system(read_vector(source, layer or None, crs=crs or None), terrain.crs)
        if name_field and name_field not in shapes.fields:
            raise UnknownName(name_field, shapes.fields, kind="field", where=str(source))
        known = changed(study, outlets=outlets)
        outlets, left = outlets_from(known, drainage, shapes, name_field=name_field, accept=accept)
        for note in (*shapes.notes, *(f"row {one.number} was left out: {one.what}" for one in left)):
            tell(note)
    if divide is not None:
        known = _surveyed(study, terrain, drainage, outlets, blobs)
        outlets = divided_outlets(known, drainage, divide, [_outlet_key(known, within)] if within else ())
    return _surveyed(study, terrain, drainage, outlets, blobs)


def _surveyed(study: Study, terrain: Terrain, drainage: Drainage, outlets: Mapping[str, Outlet], blobs: Blobs) -> Study:
    found = completed(study, survey(terrain, drainage, outlets), drainage, blobs)
    return take_survey(study, found, blobs, "place the outlets")


@edit("import the catchments of {source}")
def areas_by_numbers(
    study: Study,
    blobs: Blobs,
    *,
    source: Path,
    layer: str = "",
    crs: str = "",
    swap_axes: bool = False,
    drains: str = "",
    fields: Fields | None = None,
    mend_up_to: float = 0.0,
    tell: Callable[[str], None] = lambda _: None,
    by: str = "",
    at: str = "",
) -> Study:
    """Import the polygons of a file as catchments; ``drains`` is by the terrain if there is one, else an outfall each.

    Fields that are not given are found by their usual names; ``tell`` is told what was left out.
    """
    found = read_shapes(source, layer, into=study.map_crs, crs=crs, swap_axes=swap_axes)
    proposed = proposed_fields(found)
    given = fields or Fields()
    chosen = Fields(
        given.name or proposed.name,
        given.curve_number or proposed.curve_number,
        given.area,
        given.area_unit,
        given.downstream or proposed.downstream,
    )
    for name in (given.name, given.curve_number, given.area, given.downstream):
        if name and name not in found.fields:
            raise UnknownName(name, found.fields, kind="field", where=str(source))
    system = study.map_crs or found.crs
    metres = metres_per_unit(system) if system else 1.0
    offered = offer(study, found, chosen, metres, mend_up_to=mend_up_to)
    drainage = terrain_of(study, blobs) if study.terrain is not None else None
    way = drains or ("terrain" if drainage is not None else "an outfall each")
    threshold = study.terrain.stream_threshold if study.terrain is not None else None
    made = plan(offered.candidates, cast("Drains", way), drainage, threshold=threshold)
    for note in (
        *offered.notes,
        *made.notes,
        *(f"row {one.number} was left out: it {one.what}" for one in offered.rejected),
    ):
        tell(note)
    return take_polygons(study, made, blobs, source.name, crs=system, by=by, at=at)


def _outlet_key(study: Study, name: str) -> str:
    found = next((k for k, o in study.outlets.items() if name == k or o.name.casefold() == name.casefold()), None)
    if found is None:
        raise UnknownName(name, [o.name for o in study.outlets.values()], kind="outlet")
    return found


def places_in(text: str, where: str = "--line") -> list[tuple[float, float]]:
    """Places from a text like ``X,Y X,Y``; ``where`` is the option that holds it."""
    try:
        places = [tuple(float(part) for part in pair.split(",")) for pair in text.split()]
    except ValueError:
        places = [()]
    if not all(len(place) == 2 and np.isfinite(place).all() for place in places):
        raise BadInput(f"“{text}” is no place or line.", where=where, remedy="Write each place as X,Y.")
    return [(place[0], place[1]) for place in places]


def _treatments(study: Study, holes: Sequence[str]) -> dict[int, VoidTreatment]:
    """Treatments of holes from texts like ``1=wall``."""
    assert study.terrain is not None
    known = {str(v.number): v.number for v in study.terrain.voids}
    found: dict[int, VoidTreatment] = {}
    for text in holes:
        number, _, treatment = text.partition("=")
        if number not in known:
            raise UnknownName(number, known, kind="hole of the terrain")
        if treatment not in get_args(VoidTreatment):
            raise UnknownName(treatment, get_args(VoidTreatment), kind="treatment of a hole")
        found[known[number]] = cast("VoidTreatment", treatment)
    return found


AREAL = ("none", "leclerc-schaake")


@edit("add the {kind} {name}")
def add_by_numbers(
    study: Study, kind: str, name: str, values: Mapping[str, str], *, into: str = "", by: str = "", at: str = ""
) -> Study:
    """Add an element with typed values and connect it; the first gets an outfall to drain into."""
    key = slug(name, study.all_elements)
    element, rest = new_element(kind, name, values)
    study = edits.add_draining(study, element, key, study.key_of(into) if into else "")
    return set_by_numbers(study, key, rest, by=by, at=at)


@edit("duplicate {name}")
def duplicate_by_numbers(study: Study, name: str, new: str = "") -> Study:
    """Duplicate an element by its name; see `tarnwater.study.edits.duplicate`."""
    return edits.duplicate(study, study.key_of(name), new)


@edit("set values of {name}")
def set_by_numbers(
    study: Study, name: str, values: Mapping[str, str], *, condition: str = "", by: str = "", at: str = ""
) -> Study:
    """Choose methods and type values of one element; see `tarnwater.study.edits.assignments.address` for the fields."""
    return assign(study, study.key_of(name), values, condition=condition, by=by, at=at)


def table_from_lists(lists: Sequence[str], unit: str, series: Series = "unstated") -> DepthTable:
    """A depth table from texts like ``100: 1h 43, 6h 88``, one for each return period, all with the same durations."""
    columns: dict[float, dict[float, float]] = {}
    for text in lists:
        period, colon, rest = text.partition(":")
        pairs = [re.fullmatch(r"\s*(\S+(?:\s*(?:min|h|d))?)\s+(\S+)\s*", p) for p in rest.split(",")]
        if not colon or not all(pairs):
            raise TableError(f"“{text}” is no list of depths.", remedy="Write it as 100: 15min 24, 1h 43, 6h 88.")
        column = {units.parse(p[1], "time"): units.parse(p[2], "rain", default=unit) for p in pairs if p is not None}
        columns[units.parse(period, "return period")] = column
    durations = sorted(next(iter(columns.values())))
    for years, column in columns.items():
        if sorted(column) != durations:
            raise TableError(f"1 in {years:g} has other durations.", remedy="Give all the same durations.")
    periods = sorted(columns)
    depths = tuple(tuple(columns[t][d] for t in periods) for d in durations)
    return DepthTable(
        durations=tuple(durations), return_periods=tuple(periods), depths=depths, source="typed", series=series
    )


@edit("set the rain of the study")
def rain_by_numbers(
    study: Study,
    table: DepthTable,
    *,
    name: str,
    return_periods: str,
    durations: str,
    pattern: str,
    areal: str = "none",
    areal_curve: ArealCurve | None = None,
    typed_pattern: Pattern | None = None,
    beside: bool = False,
    prescribed: str = "",
) -> Study:
    """Set a depth table and a family of storms from lists like ``2,10,100`` and ``1h,6h``.

    For a nested pattern the one duration is the length. ``prescribed`` is the source of the rule that fixes the
    family; no duration is searched for then.
    """
    patterns = {word: chosen for word, _, chosen in variants()}
    asked: list[tuple[str, Collection[str], str]] = [(pattern, patterns, "pattern")] if typed_pattern is None else []
    asked += [(areal, AREAL, "areal reduction")] if areal_curve is None else []
    for given, known, kind in asked:
        if given not in known:
            raise UnknownName(given, known, kind=kind)
    chosen = patterns[pattern] if typed_pattern is None else typed_pattern
    lengths = units.listed(durations, "time")
    if chosen.nested and len(lengths) > 1:
        raise BadInput(
            f"storms of the pattern {pattern} hold every shorter storm, so that they have one length.",
            where="--durations",
            remedy="Give one duration, or choose a pattern that is not nested, as huff-2.",
        )
    existing = {f.name.casefold(): k for k, f in study.families.items()}
    key = existing.get(name.casefold()) or slug(name, study.families)
    study = edits.set_table(study, key, table)
    family = checked(
        lambda: StormFamily(
            name=name,
            table=key,
            return_periods=tuple(units.listed(return_periods, "return period")) or edits.readable_periods(table),
            durations=table.durations if chosen.nested else tuple(lengths) or table.durations,
            length=typed(lengths[0]) if chosen.nested and lengths else Setting[float](),
            pattern=chosen,
            areal=ArealReduction(method=areal if areal_curve is None else "typed curve", curve=areal_curve),
            counted=not beside,
            prescribed=bool(prescribed),
            source=prescribed,
        ),
        name,
    )
    return edits.set_family(study, key, family)


def study_from_terrain(
    grids: Sequence[Path],
    outlets: Sequence[str],
    *,
    title: str,
    crs: str | None,
    height_unit: str | None,
    reproject: str | None,
    cell_size: str | None,
    threshold: str,
    radius: str,
    accept: bool,
    no_data: float | None = None,
    within: str = "",
    breach: Mapping[str, str] | None = None,
    progress: Progress | None = None,
) -> tuple[Study, Blobs, tuple[str, ...]]:
    """A study from one or several elevation grids and outlets given as ``X,Y`` or ``X,Y,NAME``.

    ``within`` is the part to cut out as ``W,S,E,N``; ``breach`` has texts for ``breach_depth`` and ``breach_length``.
    """
    from tarnwater.formats.raster import HEIGHT_UNITS, bounds_in
    from tarnwater.formats.tiles import read_tiles

    unit = next((known for known in HEIGHT_UNITS if known == height_unit), None)
    if height_unit and unit is None:
        raise UnknownName(height_unit, HEIGHT_UNITS, kind="height unit")
    named = [_outlet(text, number) for number, text in enumerate(outlets, start=1)]
    size = None if cell_size is None else units.parse(cell_size, "length")
    limits = {name: units.parse(text, "length", default="m") for name, text in (breach or {}).items() if text}
    read = read_tiles(
        grids,
        crs=crs,
        height_unit=unit,
        reproject=reproject,
        cell_size=size,
        no_data=no_data,
        within=bounds_in(within) if within else None,
        progress=progress,
    )
    blobs = Blobs()
    terrain = condition_terrain(
        read.grid,
        blobs,
        source=", ".join(grid.name for grid in grids),
        repairs=read.notes,
        fills=read.fills,
        progress=progress,
        stream_threshold=units.parse(threshold, "area"),
        snap_radius=units.parse(radius, "length"),
        **cast("dict[str, Any]", limits),
    )
    places = outlets_named(named)
    if accept:
        places = {k: o.model_copy(update={"accepted_as_is": True}) for k, o in places.items()}
    return delineate_into(Study(title=title), terrain, places, blobs), blobs, read.notes


def _outlet(text: str, number: int) -> tuple[str, float, float]:
    parts = [p.strip() for p in text.split(",", 2)]
    try:
        x, y = float(parts[0]), float(parts[1])
    except (ValueError, IndexError) as error:
        raise OutletError(
            f"“{text}” is no place.", where=f"outlet {number}", remedy="Write it as X,Y or X,Y,NAME."
        ) from error
    return parts[2] if len(parts) > 2 else f"Outlet {number}", x, y
