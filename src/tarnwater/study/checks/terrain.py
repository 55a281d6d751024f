"""Checks of the terrain and the outlets."""

from __future__ import annotations

from collections.abc import Iterator
from functools import partial

from tarnwater.network.elements import Catchment, Reach
from tarnwater.study.checks.findings import Finding, Remedy
from tarnwater.study.document import Study
from tarnwater.units import show, show_place

SCALE_TOLERANCE = 0.01
MOVED_AREA_FACTOR = 2.0


def depressions(study: Study) -> Iterator[Finding]:
    """Depressions filled over 1 ha or 1 m deep, inside catchments where these are known, the greatest first."""
    told = partial(show, system=study.units)
    known = study.terrain.depressions if study.terrain else ()
    for found in sorted((d for d in known if d.within != ""), key=lambda d: -d.volume):
        x, y = found.place
        yield Finding(
            "depression-filled",
            "doubt",
            f"a depression at {show_place(x, y)} was filled: {told(found.area, 'area')}, "
            f"{told(found.depth, 'length')} deep, {told(found.volume, 'volume')}.",
            (Remedy("Check whether it is a lake, a pit, or a bank that needs a culvert."),),
            element=found.within or "",
            field="terrain/depressions",
            subject=show_place(x, y),
            at=found.place,
        )


#: Filled water that stands deeper than this along a culvert or a burned stream is a doubt, m.
STANDING = 0.5


def features(study: Study) -> Iterator[Finding]:
    """Features of the ground that change nothing, and those in which filled water stands."""
    told = partial(show, system=study.units)
    for change in study.terrain.changes if study.terrain else ():
        feature = study.ground_features.get(change.by)
        if feature is None:
            continue
        if change.place is None:
            why = "".join(f": {note}" for note in change.notes) or ": the ground under it is as it makes it"
            yield Finding(
                "feature-without-effect",
                "doubt",
                f"the {feature.title} {feature.name} changes nothing{why}.",
                (Remedy("Draw it where it lies, or remove it."),),
                field="terrain/features",
                subject=change.by,
            )
        elif change.water > STANDING:
            yield Finding(
                "water-stands-in-feature",
                "doubt",
                f"water stands {told(change.water, 'length')} deep in the {feature.title} {feature.name}: one of its "
                "ends does not reach the low ground.",
                (Remedy("Draw it from the low ground above to the low ground below."),),
                field="terrain/features",
                subject=change.by,
                at=change.place,
            )


def closed_basins(study: Study) -> Iterator[Finding]:
    """Land that drains to depressions that keep their water."""
    for basin in study.terrain.closed if study.terrain else ():
        feature = study.ground_features.get(basin.feature)
        name = basin.feature if feature is None else feature.name
        yield Finding(
            "closed-basin",
            "note",
            f"{show(basin.area, 'area', study.units)} drain to {name}, which keeps its water; this land belongs to no "
            "catchment below.",
            (Remedy("Check that no water leaves it, also in the greatest storm."),),
            field="terrain/features",
            subject=basin.feature,
            at=basin.place,
        )


def voids(study: Study) -> Iterator[Finding]:
    """Holes of no-data inside the ground."""
    told = partial(show, system=study.units)
    became = {"outlet": "takes water", "wall": "is a wall", "interpolate": "was interpolated"}
    for found in study.terrain.voids if study.terrain else ():
        x, y = found.place
        yield Finding(
            "void-in-terrain",
            "doubt",
            f"a hole without data at {show_place(x, y)} ({told(found.area, 'area')}) {became[found.treatment]}.",
            (Remedy("Say what it is: an outlet, a wall, or ground to be interpolated."),),
            field="terrain/voids",
            subject=show_place(x, y),
            at=found.place,
        )


def scale_factor(study: Study) -> Iterator[Finding]:
    """A projection that stretches lengths by more than 1 %."""
    if study.terrain and abs(study.terrain.scale_factor - 1) > SCALE_TOLERANCE:
        yield Finding(
            "scale-factor",
            "doubt",
            f"lengths on the map are {study.terrain.scale_factor:.4g} times those on the ground, areas "
            f"{study.terrain.scale_factor**2:.4g} times.",
            (Remedy("Reproject the terrain to a projection for this area."),),
            field="terrain/crs",
        )


def cut_off(study: Study) -> Iterator[Finding]:
    """Catchments cut by the edge of the grid."""
    for key, element in study.elements.items():
        if isinstance(element, Catchment) and element.cut_off:
            yield Finding(
                "cut-by-edge",
                "doubt",
                "the catchment reaches the edge of the terrain; part of it may lie outside.",
                (Remedy("Use a terrain that extends beyond the divide."),),
                element=key,
                field="area",
            )


#: Slopes on the raw and the conditioned terrain that differ by more than this share are doubted.
SLOPE_TOLERANCE = 0.1


def slopes_apart(study: Study) -> Iterator[Finding]:
    """Flow paths with different slopes on the raw terrain and on the conditioned ground."""
    told = partial(show, system=study.units)
    for key, element in study.elements.items():
        if isinstance(element, Catchment):
            used, field = element.slope_10_85.derived, "slope_10_85"
        elif isinstance(element, Reach):
            used, field = element.slope.derived, "slope"
        else:
            continue
        raw = element.raw_slope
        if used and raw is not None and abs(raw / used - 1) > SLOPE_TOLERANCE:
            yield Finding(
                "slopes-apart",
                "doubt",
                f"the slope of its flow path is {told(used, 'slope')} on the conditioned ground, "
                f"{told(raw, 'slope')} on the raw terrain.",
                (Remedy("Look at its long profile: it crosses a filled pit or a bank."),),
                element=key,
                field=field,
            )


def undeclared_fills(study: Study) -> Iterator[Finding]:
    """Values that look like a fill for no data and are not declared as one."""
    for found in study.terrain.fills if study.terrain else ():
        place = " beside the edge" if found.at_edge else ""
        yield Finding(
            "undeclared-fill",
            "doubt",
            f"{found.cells} cells{place} hold {found.value:g}, which the file does not declare as no data.",
            (Remedy(f"Import the terrain again with {found.value:g} as no data, if these cells hold no heights."),),
            field="terrain/fills",
        )


def outlets(study: Study) -> Iterator[Finding]:
    """Outlets moved to a stream that drains far more, and two outlets on one cell."""
    told = partial(show, system=study.units)
    taken: dict[tuple[float, float], str] = {}
    for outlet in study.outlets.values():
        if outlet.area_before and outlet.area_after > MOVED_AREA_FACTOR * outlet.area_before:
            yield Finding(
                "outlet-moved",
                "note",
                f"the outlet {outlet.name} was moved {told(outlet.moved, 'length')} to the stream; the area "
                f"draining to it went from {told(outlet.area_before, 'area')} to {told(outlet.area_after, 'area')}.",
                (Remedy("Check whether this is the intended stream."),),
                field="outlets",
            )
        if outlet.place is not None:
            other = taken.setdefault(outlet.place, outlet.name)
            if other != outlet.name:
                yield Finding(
                    "outlets-on-one-cell",
                    "doubt",
                    f"the outlets {other} and {outlet.name} lie on one cell; the second has no catchment.",
                    (Remedy("Move or remove one of them."),),
                    field="outlets",
                )


CHECKS = (depressions, features, closed_basins, voids, undeclared_fills, scale_factor, cut_off, slopes_apart, outlets)
