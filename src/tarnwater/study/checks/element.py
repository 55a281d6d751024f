"""Checks of single elements, as each condition has them."""

from __future__ import annotations

from collections.abc import Iterator
from functools import partial

from tarnwater import units
from tarnwater.cover import find_cover
from tarnwater.methods import Doubtful
from tarnwater.network.elements import Catchment, Element
from tarnwater.parameters import Model, Setting
from tarnwater.runoff.timing import Timing, lag_of_concentration, slope_in_use
from tarnwater.runoff.timing.bounds import lags_by_area
from tarnwater.study import edits
from tarnwater.study.checks.findings import Finding, Remedy
from tarnwater.study.document import STEPS, Study
from tarnwater.study.document.fields import quantities_in
from tarnwater.units import show, show_duration

AREA_TOLERANCE = 0.05
SHARE_TOLERANCE = 0.001
SLIPS = (10.0, 60.0, 1000.0)

#: Ratio of step to lag from which the peak depends on the step: for a note, and for a doubt.
STEP_NOTE, STEP_DOUBT = 0.23, 0.28


def missing_values(study: Study, condition: str, key: str, element: Element) -> Iterator[Finding]:
    """The values that an element lacks to be computed."""
    for missing in element.missing():
        # shares of surfaces that do not add up have a check of their own, with remedies
        if not missing.wrong or not isinstance(element, Catchment):
            remedies = (Remedy(missing.advice),)
            yield Finding("missing-value", "stop", missing.what, remedies, element=key, field=missing.field)


def typed_against_measured(study: Study, condition: str, key: str, element: Model) -> Iterator[Finding]:
    """A typed area that differs from the measured one."""
    told = partial(show, system=study.units)
    if not isinstance(element, Catchment) or element.area.typed is None or not element.area.derived:
        return
    given, measured = element.area.typed.value, element.area.derived
    if abs(given / measured - 1) > AREA_TOLERANCE:
        back = Remedy("Clear the typed area.", partial(edits.type_values, values=[(key, "area", None)]))
        yield Finding(
            "area-typed-against-measured",
            "doubt",
            f"{told(given, 'area')} are typed, {told(measured, 'area')} are measured on the terrain.",
            (Remedy("Decide which is right."), back),
            element=key,
            field="area",
        )


def composite_areas(study: Study, condition: str, key: str, element: Model) -> Iterator[Finding]:
    """Surfaces that do not add up to the catchment: each of them may take the remainder."""
    if not isinstance(element, Catchment):
        return
    for missing in element.missing():
        if missing.wrong:
            remedies = [Remedy(missing.advice)]
            remedies += [
                Remedy(
                    f"Let “{surface.name}” take the remainder, {show(rest, 'share')}.",
                    partial(edits.type_values, values=[(key, f"surfaces/{row}/share", None)]),
                )
                for row, surface in enumerate(element.surfaces)
                if surface.share.typed and (rest := 1 - sum(element.weights) + element.weights[row]) >= 0
            ]
            yield Finding("composite-area", "stop", missing.what, tuple(remedies), element=key, field=missing.field)


def impervious_twice(study: Study, condition: str, key: str, element: Model) -> Iterator[Finding]:
    """Connected impervious land beside an urban class that contains it already."""
    # land from a table has its own check: there a town and connected paving may lie in different places
    if (
        not isinstance(element, Catchment)
        or element.land is not None
        or not any(s.connected_impervious and w > 0 for s, w in zip(element.surfaces, element.weights, strict=True))
    ):
        return
    for number, surface in enumerate(element.surfaces):
        if surface.connected_impervious or surface.cover is None:
            continue
        share = find_cover(surface.cover.title, study.cover_classes).impervious
        if share > 0:
            yield Finding(
                "impervious-twice",
                "doubt",
                f"{surface.cover.title} contains {show(share, 'share')} impervious land already, and a connected "
                "impervious surface stands beside it.",
                (Remedy("Take the class of its open land, or remove the connected surface."),),
                element=key,
                field=f"surfaces/{number}/cover",
            )


def methods(study: Study, condition: str, key: str, element: Element) -> Iterator[Finding]:
    """Doubts of the methods of an element."""
    steps = steps_of(study)
    for path, found in element.doubts(steps):
        yield as_finding(found, key, path, study.units)


def as_finding(doubt: Doubtful, element: str, path: str, system: units.System) -> Finding:
    """A doubt of a method at a path of an element, as a finding; a cure that is a method becomes an edit."""
    remedies = tuple(
        Remedy(text, None if new is None else partial(edits.choose, element=element, field=path, value=new))
        for text, new in doubt.cures
    )
    field = f"{path}/{doubt.field}" if doubt.field else path
    return Finding(doubt.code, doubt.severity, doubt.told(system), remedies, element=element, field=field)


def path_parts(study: Study, condition: str, key: str, element: Model) -> Iterator[Finding]:
    """Parts of a flow path that do not add up to it."""
    if not isinstance(element, Catchment) or not element.path_parts:
        return
    lengths, whole = [part.length.value for part in element.path_parts], element.flow_length.value
    if whole is None or any(one is None for one in lengths):
        return
    total = sum(one for one in lengths if one is not None)
    if abs(total / whole - 1) > SHARE_TOLERANCE:
        told = show(total, "length", study.units), show(whole, "length", study.units)
        yield Finding(
            "path-parts",
            "doubt",
            f"the parts of its flow path add up to {told[0]}, the path has {told[1]}.",
            (Remedy("Correct the lengths of its parts, or that of the path."),),
            element=key,
            field="path_parts/0/length",
        )


def two_times_typed(study: Study, condition: str, key: str, element: Model) -> Iterator[Finding]:
    """Both lag and time of concentration typed."""
    if isinstance(element, Catchment) and element.lag.typed and element.concentration.typed:
        yield Finding(
            "lag-and-concentration-typed",
            "note",
            "both lag and time of concentration are typed; the lag leads.",
            (Remedy("Clear one of them."),),
            element=key,
            field="concentration",
        )


def least_concentration(study: Study, condition: str, key: str, element: Model) -> Iterator[Finding]:
    """A lag that follows from the least time of concentration."""
    if isinstance(element, Catchment) and element.least_governs:
        own, least = element.concentration.known, element.least_concentration.known
        yield Finding(
            "least-concentration",
            "note",
            f"its time of concentration of {show_duration(own)} is less than the least, {show_duration(least)}, which "
            "governs.",
            (Remedy("Clear the least time of concentration, or type the lag."),),
            element=key,
            field="least_concentration",
        )


def slope_raised(study: Study, condition: str, key: str, element: Model) -> Iterator[Finding]:
    """A derived slope raised to the least that timing equations take."""
    told = partial(show, system=study.units)
    if not isinstance(element, Catchment) or element.timing.derive(element.measures) is None:
        return
    for field in ("path_slope", "mean_slope"):
        slope = getattr(element, field)
        used = slope_in_use(slope)
        if used is not None and used != slope.value:
            yield Finding(
                "slope-raised",
                "doubt",
                f"the derived slope of {told(slope.value, 'slope')} is below {told(used, 'slope')}; its timing takes "
                f"{told(used, 'slope')}.",
                (Remedy("Type a slope, which is taken as typed, or the lag."),),
                element=key,
                field=field,
            )


def lag_against_equations(study: Study, condition: str, key: str, element: Model) -> Iterator[Finding]:
    """A typed lag or time of concentration far from every equation, as by a wrong unit."""
    told = partial(show, system=study.units)
    if not isinstance(element, Catchment) or not element.area.value or not element.lag.value:
        return
    if element.lag.typed is None and element.concentration.typed is None:
        return
    known = list(lags_by_area(element.area.value))
    # each equation with all its inputs, whichever was chosen
    for method in (element.timing, *(one.plain() for one in Timing.known.values())):
        timing = None if method is None else method.derive(element.measures)
        if timing is not None:
            seconds = float(timing.seconds)
            known.append(seconds if timing.leads == "lag" else lag_of_concentration(seconds))
    lag, least, most = element.lag.value, min(known), max(known)
    if not least <= lag <= most:
        yield Finding(
            "lag-far-from-equations",
            "doubt",
            f"the lag of {show_duration(lag)} lies outside what equations give for {told(element.area.value, 'area')}: "
            f"{units.show(least / 60, 'factor', digits=2)} min to {units.show(most / 3600, 'factor', digits=2)} h.",
            (Remedy("Check the value and its unit, minutes or hours."),),
            element=key,
            field="lag" if element.lag.typed is not None else "concentration",
        )


def step_against_lag(study: Study, condition: str, key: str, element: Model) -> Iterator[Finding]:
    """A step too coarse for a lag."""
    if not isinstance(element, Catchment) or not element.delay or not element.area.value:
        return
    for step in steps_of(study):
        ratio = step / element.delay
        if ratio > STEP_NOTE:
            finer = max((s for s in STEPS if s <= 0.2 * element.delay), default=STEPS[0])
            yield Finding(
                "step-against-lag",
                "doubt" if ratio > STEP_DOUBT else "note",
                f"the step of {show_duration(step)} is {ratio:.2f} of the lag of {show_duration(element.delay)}; "
                "rain within a step is taken as even.",
                (Remedy(f"Take a step of {show_duration(finer)}.", partial(edits.set_step, step=finer)),),
                element=key,
                field="lag",
            )


def steps_of(study: Study) -> list[float]:
    """Every step at which cases run: the study's, and those held for design points, s."""
    own = (point.step for point in study.design_points.values())
    return sorted({s for s in (study.run.step.value, *own) if s is not None})


def slips(study: Study, condition: str, key: str, element: Model) -> Iterator[Finding]:
    """Values outside their usual range, as by a factor of 10, 60 or 1000."""
    told = partial(show, system=study.units)
    for path, description, held in quantities_in(element):
        value = held.value if isinstance(held, Setting) else held
        if (
            not isinstance(value, int | float)
            or description.usual is None
            or description.usual[0] <= value <= description.usual[1]
            or value == 0
        ):
            continue
        low, high = description.usual
        factors = [f"{f:g}" for f in SLIPS if low <= value / f <= high or low <= value * f <= high]
        less = "less" if value > high else "more"
        hint = f" Was it meant to be {' or '.join(factors)} times {less}?" if factors else ""
        yield Finding(
            "unusual-value",
            "doubt",
            f"{told(value, description.kind)} is outside the usual {told(low, description.kind)} to "
            f"{told(high, description.kind)}.{hint}",
            (Remedy("Check the value and its unit."),),
            element=key,
            field=path,
        )


CHECKS = (
    missing_values,
    typed_against_measured,
    composite_areas,
    impervious_twice,
    methods,
    path_parts,
    two_times_typed,
    least_concentration,
    slope_raised,
    lag_against_equations,
    step_against_lag,
    slips,
)
