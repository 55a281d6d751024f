"""Checks of single elements, as each condition has them."""

from __future__ import annotations

from collections.abc import Iterator
from functools import partial

from tarnwater import units
from tarnwater.cover import find_cover
from tarnwater.network.elements import Catchment, Missing, Reach, _Element
from tarnwater.parameters import Model, Setting, typed
from tarnwater.routing.reaches import Muskingum
from tarnwater.routing.reaches.muskingum import MOST_SUBSTEPS, weight_keeping_attenuation
from tarnwater.runoff.losses import CurveNumber
from tarnwater.runoff.losses.curve_number import TABLED_RATIO, curve_number_for_ratio
from tarnwater.runoff.timing import Kirpich, NrcsLag, lag_of_concentration, nrcs_lag, slope_in_use
from tarnwater.runoff.transforms.nrcs import time_to_peak
from tarnwater.study import edits
from tarnwater.study.cases import step_of
from tarnwater.study.document import STEPS, Study
from tarnwater.study.fields import quantities_in
from tarnwater.study.findings import Finding, Remedy
from tarnwater.units import MILE, show, show_duration

AREA_TOLERANCE = 0.05
SHARE_TOLERANCE = 0.001
SLIPS = (10.0, 60.0, 1000.0)

#: Step over lag from which the peak depends on the step: said, and doubted.
STEP_NOTE, STEP_DOUBT = 0.23, 0.28

#: A unit hydrograph scaled by more than this to hold one unit of water is doubted.
SCALE_DOUBT = 0.01


def missing_values(study: Study, condition: str, key: str, element: _Element) -> Iterator[Finding]:
    """What an element cannot be computed without."""
    for field, advice in element.missing():
        what = Missing(field, advice).what
        yield Finding("missing-value", "stop", what, (Remedy(advice),), element=key, field=field)


def typed_against_measured(study: Study, condition: str, key: str, element: Model) -> Iterator[Finding]:
    """A typed area that is not the measured one."""
    told = partial(show, system=study.units)
    if not isinstance(element, Catchment) or element.area.typed is None or not element.area.derived:
        return
    given, measured = element.area.typed.value, element.area.derived
    if abs(given / measured - 1) > AREA_TOLERANCE:
        back = Remedy("Give the typed area back.", partial(edits.give_back, element=key, field="area"))
        yield Finding(
            "area-typed-against-measured",
            "doubt",
            f"{told(given, 'area')} are typed, {told(measured, 'area')} are measured on the terrain.",
            (Remedy("Settle which is right."), back),
            element=key,
            field="area",
        )


def composite_areas(study: Study, condition: str, key: str, element: Model) -> Iterator[Finding]:
    """Surfaces that do not add up to the catchment."""
    if not isinstance(element, Catchment):
        return
    total = sum(element.surface_shares)
    if abs(total - 1) > SHARE_TOLERANCE:
        yield Finding(
            "composite-area",
            "doubt",
            f"its surfaces add up to {show(total, 'share')} of its area; they are taken in proportion.",
            (Remedy("Correct the shares, or add a surface for the rest."),),
            element=key,
            field="surfaces",
        )


def impervious_twice(study: Study, condition: str, key: str, element: Model) -> Iterator[Finding]:
    """Connected impervious land beside an urban class that contains it already."""
    if not isinstance(element, Catchment) or not any(
        s.connected_impervious and w > 0 for s, w in zip(element.surfaces, element.surface_shares, strict=True)
    ):
        return
    for number, surface in enumerate(element.surfaces):
        if surface.connected_impervious or surface.cover is None:
            continue
        share = find_cover(surface.cover.title).impervious
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


def ratio_unconverted(study: Study, condition: str, key: str, element: Model) -> Iterator[Finding]:
    """Lambda changed without converting the curve number."""
    for number, surface in enumerate(element.surfaces if isinstance(element, Catchment) else ()):
        loss = surface.loss
        if not isinstance(loss, CurveNumber) or loss.ratio == loss.tabled_for:
            continue
        remedies = [Remedy("Type the curve number for this λ, and say so in “tabled for”.")]
        if loss.ratio == 0.05 and loss.tabled_for == TABLED_RATIO and loss.curve_number.value is not None:
            converted = round(curve_number_for_ratio(loss.curve_number.value), 2)
            new = loss.model_copy(
                update={"curve_number": typed(converted, note="converted from λ 0.2"), "tabled_for": 0.05}
            )
            path = f"surfaces/{number}/loss"
            remedies.insert(
                0,
                Remedy(
                    f"Convert it: {converted:g} for λ 0.05.", partial(edits.choose, element=key, field=path, value=new)
                ),
            )
        yield Finding(
            "ratio-unconverted",
            "doubt",
            f"λ is {loss.ratio:g}, but the curve number holds for λ {loss.tabled_for:g}.",
            tuple(remedies),
            element=key,
            field=f"surfaces/{number}/loss/ratio",
        )


def two_times_typed(study: Study, condition: str, key: str, element: Model) -> Iterator[Finding]:
    """Both lag and time of concentration typed."""
    if isinstance(element, Catchment) and element.lag.typed and element.concentration.typed:
        yield Finding(
            "lag-and-concentration-typed",
            "note",
            "both lag and time of concentration are typed; the lag leads.",
            (Remedy("Give one of them back."),),
            element=key,
            field="concentration",
        )


def slope_raised(study: Study, condition: str, key: str, element: Model) -> Iterator[Finding]:
    """A derived slope raised to the least that timing equations take."""
    told = partial(show, system=study.units)
    if not isinstance(element, Catchment) or element.timing.derive(element.ground) is None:
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


#: Curve number and mean slope of the quickest and of the slowest land, between which lags by area lie.
QUICKEST_LAND, SLOWEST_LAND = (98.0, 0.30), (40.0, 0.005)


def lags_by_area(area: float) -> tuple[float, float]:
    """The shortest and the longest lag (s) that the NRCS equation gives for an area (m2).

    The flow length follows the area by Hack (1957), L = 1.4 A^0.6 in miles.
    """
    length = MILE * 1.4 * (area / MILE**2) ** 0.6
    return nrcs_lag(length, *QUICKEST_LAND), nrcs_lag(length, *SLOWEST_LAND)


def lag_against_equations(study: Study, condition: str, key: str, element: Model) -> Iterator[Finding]:
    """A typed lag or time of concentration far from every equation, as a slip of unit leaves it."""
    told = partial(show, system=study.units)
    if not isinstance(element, Catchment) or not element.area.value or not element.lag.value:
        return
    if element.lag.typed is None and element.concentration.typed is None:
        return
    known = list(lags_by_area(element.area.value))
    for method in (NrcsLag(), Kirpich()):
        timing = method.derive(element.ground)
        if timing is not None:
            known.append(timing.seconds if timing.leads == "lag" else lag_of_concentration(timing.seconds))
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


#: A unit hydrograph whose duration exceeds this share of its time to peak is doubted.
LONG_DURATION = 0.25


def unit_hydrograph_duration(study: Study, condition: str, key: str, element: Model) -> Iterator[Finding]:
    """A typed duration of the unit hydrograph too long for its time to peak."""
    if not isinstance(element, Catchment) or not element.lag.value:
        return
    duration = element.transform.duration_for(element.lag.value)
    to_peak = time_to_peak(element.lag.value, duration)
    if duration > LONG_DURATION * to_peak * (1 + 1e-9):
        yield Finding(
            "unit-hydrograph-duration",
            "doubt",
            f"its duration of {show_duration(duration)} is {duration / to_peak:.2f} of the time to peak; the curve "
            f"holds up to {LONG_DURATION:g}.",
            (Remedy("Give the duration back: it is then 2/15 of the time of concentration."),),
            element=key,
            field="transform/duration",
        )


def step_against_lag(study: Study, condition: str, key: str, element: Model) -> Iterator[Finding]:
    """A step too coarse for a lag, and a scale factor of the unit hydrograph over 1 %."""
    if not isinstance(element, Catchment) or not element.lag.value or not element.area.value:
        return
    steps = {study.run.step.value, *(p.step for p in study.design_points.values())} - {None}
    for step in sorted(s for s in steps if s is not None):
        ratio = step / element.lag.value
        if ratio > STEP_NOTE:
            finer = max((s for s in STEPS if s <= 0.2 * element.lag.value), default=STEPS[0])
            yield Finding(
                "step-against-lag",
                "doubt" if ratio > STEP_DOUBT else "note",
                f"the step of {show_duration(step)} is {ratio:.2f} of the lag of {show_duration(element.lag.value)}; "
                "rain within a step is taken as even.",
                (Remedy(f"Take a step of {show_duration(finer)}.", partial(edits.set_step, step=finer)),),
                element=key,
                field="lag",
            )
        unit = element.transform.unit_hydrograph(element.area.value, element.lag.value, step)
        if abs(unit.scale - 1) > SCALE_DOUBT:
            yield Finding(
                "unit-hydrograph-scaled",
                "doubt",
                f"the unit hydrograph was scaled by {unit.scale:.4g} to hold one unit of water.",
                (Remedy("Take a finer step."),),
                element=key,
                field="transform",
            )


def muskingum_bounds(study: Study, condition: str, key: str, element: Model) -> Iterator[Finding]:
    """A first Muskingum coefficient below zero."""
    if not isinstance(element, Reach) or not isinstance(element.method, Muskingum):
        return
    method = element.method
    if method.travel_time.value is None or method.parts.value is None:
        return
    for step in sorted({s for s in (study.run.step.value, *(step_of(study, p) for p in _stepped(study))) if s}):
        if method.substeps(step) <= MOST_SUBSTEPS and method.coefficients(step).c1 < -1e-12:
            parts = method.parts.value
            more = max(method.least_parts(step), parts + 1)
            weight = weight_keeping_attenuation(method.weight, parts, more)
            remedies = [Remedy(f"Take {more} parts with the same X; the reach then attenuates less.")]
            if weight >= 0:
                remedies.insert(0, Remedy(f"Take {more} parts with X = {weight:.3g}, which keeps the attenuation."))
            yield Finding(
                "muskingum-bounds",
                "note",
                f"at a step of {show_duration(step)} the first coefficient is negative; flow may dip.",
                tuple(remedies),
                element=key,
                field="method/parts",
            )


def _stepped(study: Study) -> list[str]:
    return [key for key, point in study.design_points.items() if point.step is not None]


def slips(study: Study, condition: str, key: str, element: Model) -> Iterator[Finding]:
    """Values outside their usual range, as a slip by 10, 60 or 1000 leaves them."""
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
    ratio_unconverted,
    two_times_typed,
    slope_raised,
    lag_against_equations,
    unit_hydrograph_duration,
    step_against_lag,
    muskingum_bounds,
    slips,
)
