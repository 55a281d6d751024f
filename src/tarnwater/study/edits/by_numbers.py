"""Edits from text of the command line: elements, rain, terrain."""

from __future__ import annotations

import re
from collections.abc import Mapping, Sequence
from pathlib import Path

from tarnwater import units
from tarnwater.errors import BadInput, OutletError, TableError, UnknownName
from tarnwater.network.elements import Element
from tarnwater.parameters import Setting, typed
from tarnwater.progress import Progress
from tarnwater.rain.areal import ArealReduction
from tarnwater.rain.depth_table import DepthTable, Series
from tarnwater.rain.patterns import variants
from tarnwater.rain.storms import StormFamily
from tarnwater.study import edits
from tarnwater.study.document import Study, checked
from tarnwater.study.document.blobs import Blobs
from tarnwater.study.document.fields import quantities_in
from tarnwater.study.edits import slug
from tarnwater.study.edits.act import edit
from tarnwater.study.edits.assignments import assign, new_element
from tarnwater.study.edits.conditioning import condition_terrain
from tarnwater.study.edits.delineation import delineate_into, outlets_named

AREAL = ("none", "leclerc-schaake")


def paths_by_name(element: Element) -> dict[str, str]:
    """Path of each quantity of an element by its last name, if that is unique."""
    found: dict[str, list[str]] = {}
    for path, _, _ in quantities_in(element):
        found.setdefault(path.rsplit("/", 1)[-1], []).append(path)
    return {name: paths[0] for name, paths in found.items() if len(paths) == 1} | {
        path: path for paths in found.values() for path in paths
    }


@edit("add the {kind} {name}")
def add_by_numbers(
    study: Study, kind: str, name: str, values: Mapping[str, str], *, into: str = "", by: str = "", at: str = ""
) -> Study:
    """Add an element with typed values and connect it; the first gets an outfall to drain into."""
    key = slug(name, study.all_elements)
    element, rest = new_element(kind, name, values)
    study = edits.add_draining(study, element, key, study.key_of(into) if into else "")
    return set_by_numbers(study, key, rest, by=by, at=at)


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
    beside: bool = False,
    prescribed: str = "",
) -> Study:
    """Set a depth table and a family of storms from lists like ``2,10,100`` and ``1h,6h``.

    For a nested pattern the one duration is the length. ``prescribed`` is the source of the rule that fixes the
    family; no duration is searched for then.
    """
    patterns = {word: chosen for word, _, chosen in variants()}
    for given, known, kind in ((pattern, patterns, "pattern"), (areal, AREAL, "areal reduction")):
        if given not in known:
            raise UnknownName(given, known, kind=kind)
    chosen, lengths = patterns[pattern], units.listed(durations, "time")
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
            areal=ArealReduction(method=areal),
            counted=not beside,
            prescribed=bool(prescribed),
            source=prescribed,
        ),
        name,
    )
    return edits.set_family(study, key, family)


def study_from_terrain(
    grid: Path,
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
    progress: Progress | None = None,
) -> tuple[Study, Blobs, tuple[str, ...]]:
    """A study from an elevation grid and outlets given as ``X,Y`` or ``X,Y,NAME``."""
    from tarnwater.formats.raster import HEIGHT_UNITS, read_elevation

    unit = next((known for known in HEIGHT_UNITS if known == height_unit), None)
    if height_unit and unit is None:
        raise UnknownName(height_unit, HEIGHT_UNITS, kind="height unit")
    named = [_outlet(text, number) for number, text in enumerate(outlets, start=1)]
    size = None if cell_size is None else units.parse(cell_size, "length")
    read = read_elevation(
        grid, crs=crs, height_unit=unit, reproject=reproject, cell_size=size, no_data=no_data, progress=progress
    )
    blobs = Blobs()
    terrain = condition_terrain(
        read.grid,
        blobs,
        source=grid.name,
        repairs=read.notes,
        fills=read.fills,
        progress=progress,
        stream_threshold=units.parse(threshold, "area"),
        snap_radius=units.parse(radius, "length"),
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
