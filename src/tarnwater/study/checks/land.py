"""Checks of cover and soil: maps, classes, and the land of catchments."""

from __future__ import annotations

from collections.abc import Iterator
from functools import partial

from tarnwater.cover import GROUPS
from tarnwater.cover.land import LandTable
from tarnwater.network.elements import Catchment, Element
from tarnwater.study import edits
from tarnwater.study.answers.land import table_of
from tarnwater.study.checks.findings import Finding, Remedy
from tarnwater.study.document import Study
from tarnwater.study.document.land_maps import catchments_with_outline, following, stale
from tarnwater.units import show

#: Share of a catchment with the default cover or soil that is a doubt, and one by which a typed area may differ.
MOSTLY_KNOWN, AREA_TOLERANCE = 0.1, 0.001


def unknown_values(study: Study) -> Iterator[Finding]:
    """Values of maps that mean nothing to the study."""
    for layer in study.land_layers.values():
        if layer.unknown:
            area = sum(one.area for one in layer.unknown)
            told = ", ".join(f"{one.value} ({show(one.area, 'area', study.units)})" for one in layer.unknown[:8])
            yield Finding(
                "land-unknown",
                "doubt",
                f"{layer.name}: nothing is known of {show(area, 'area', study.units)} with the values {told}; what "
                "lies below counts there, or the default.",
                (Remedy("Say what each value is, or leave it open: Ground, Cover and soil, Maps …"),),
                field="land_layers",
                subject=layer.name,
            )


def measured_earlier(study: Study) -> Iterator[Finding]:
    """Catchments whose cover and soil were measured on another outline or other maps; those with none at all."""
    for key in stale(study):
        yield Finding(
            "land-stale",
            "doubt",
            "its cover and soil were measured on an earlier outline or earlier maps.",
            (Remedy("Measure cover and soil again (Ctrl+Shift+M, or tarnwater land STUDY --measure)."),),
            element=key,
            field="land",
        )
    if study.land_layers and following(study):
        for key in catchments_with_outline(study):
            if study.catchments[key].land is None:
                yield Finding(
                    "land-untaken",
                    "note",
                    "its surfaces are made by hand; those of other catchments follow the maps of cover and soil.",
                    (Remedy("Take its land from the maps, if that is meant."),),
                    element=key,
                    field="land",
                )


def land_of(study: Study, condition: str, key: str, element: Element) -> Iterator[Finding]:
    """What the table of a catchment leaves open: defaults, numbers that a class lacks, an area that differs."""
    if not isinstance(element, Catchment):
        return
    table = table_of(study, element)
    if table is None or not table.rows:
        return
    yield from _defaulted(study, key, table)
    for row in table.rows:
        if row.number is None and row.area > 0:
            what = (
                "no cover" if row.cover is None else "no soil group"
                if row.group is None else f"no curve number of {row.cover.name} on soil group {row.group}"
            )  # fmt: skip
            yield Finding(
                "land-open",
                "stop",
                f"there is {what} for {show(row.area, 'area', study.units)} of it.",
                (Remedy("Choose a default cover and soil group, or give the class its curve number."),),
                element=key,
                field="land",
                subject=row.name,
            )
        if row.cover is not None and row.cover.connected > 0 and row.cover.impervious > 0 and not row.connected:
            yield Finding(
                "impervious-twice",
                "doubt",
                f"{row.cover.name} contains {show(row.cover.impervious, 'share')} impervious land in its curve "
                f"numbers, and has {show(row.cover.connected, 'share')} connected impervious land beside it.",
                (Remedy("Take the curve numbers of its open land, or clear its connected share."),),
                element=key,
                field="land",
                subject=row.name,
            )
    typed = element.area.typed_value
    if typed is not None and table.total and abs(table.total / typed - 1) > AREA_TOLERANCE:
        told = show(table.total, "area", study.units), show(typed, "area", study.units)
        yield Finding(
            "land-area",
            "doubt",
            f"its rows of cover and soil add up to {told[0]}, its typed area is {told[1]}; shares are those of the "
            "rows.",
            (
                Remedy("Decide which is right."),
                Remedy("Clear the typed area.", partial(edits.type_values, values=[(key, "area", None)])),
            ),
            element=key,
            field="area",
        )


def _defaulted(study: Study, key: str, table: LandTable) -> Iterator[Finding]:
    rows = [row for row in table.rows if row.defaulted]
    share = sum(row.share for row in rows)
    if rows:
        what = " and ".join(dict.fromkeys(name for row in rows for name in row.defaulted))
        area = show(sum(row.area for row in rows), "area", study.units)
        yield Finding(
            "land-defaulted",
            "doubt" if share > MOSTLY_KNOWN else "note",
            f"no map tells the {what} of {area}, {show(share, 'share')} of it; the default counts there.",
            (Remedy("Bring in a map that covers it, or accept the default."),),
            element=key,
            field="land",
        )
    dual = sum(row.share for row in table.rows if row.group is not None and row.soil not in GROUPS)
    if dual:
        from tarnwater.study.edits.cover import set_land_rules

        rules = study.land_rules
        how = "drained" if rules.drained else "not drained, so of group D"
        yield Finding(
            "land-dual",
            "note",
            f"{show(dual, 'share')} of it has a dual soil group, and is taken as {how}.",
            (
                Remedy(
                    "Take it as not drained." if rules.drained else "Take it as drained.",
                    partial(set_land_rules, drained=not rules.drained),
                ),
            ),
            element=key,
            field="land",
        )


CHECKS = (unknown_values, measured_earlier)
OF_ELEMENTS = (land_of,)
