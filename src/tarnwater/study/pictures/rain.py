"""Plots of rain: depths by duration and return period, and the storms made of them."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from tarnwater import units
from tarnwater.arrays import Floats
from tarnwater.plots import Axis, Bars, Curve, Plot
from tarnwater.rain.areal import ArealCurve
from tarnwater.rain.depths import Depths
from tarnwater.rain.given import GivenStorm
from tarnwater.rain.patterns import MassCurve
from tarnwater.rain.storms import StormFamily
from tarnwater.study.document import Study
from tarnwater.units import System

#: Durations that are named on the axis, h.
NAMED_HOURS = (5 / 60, 10 / 60, 0.25, 0.5, 1.0, 2.0, 3.0, 6.0, 12.0, 24.0, 48.0, 96.0, 240.0)

#: Points drawn for each tenfold duration.
POINTS = 24


#: Length of a source that a title gives in full.
TITLE_SOURCE = 60


def _short(source: str) -> str:
    """A source for a title, cut at a word where it is long; the study holds the whole."""
    return source if len(source) <= TITLE_SOURCE else source[:TITLE_SOURCE].rsplit(" ", 1)[0] + " …"


def depth_plot(
    table: Depths, system: System, *, intensity: bool = False, linear: bool = False, other: Depths | None = None
) -> Plot:
    """Depth (or mean intensity) by duration, one curve for each return period, exact at the entries.

    On log axes, or on linear ones; with the limits of the depths, and with the curves of another table beside.
    """
    shortest, longest = table.own_durations[0], table.longest
    kind = "rain rate" if intensity else "rain"

    def values_of(depths: Depths, durations: Floats, period: float) -> Floats:
        found = depths.depth(durations, period)
        return found / (durations / 3600) if intensity else found

    durations = _durations_of(table)
    hours = durations / 3600
    values = [values_of(table, durations, period) for period in table.annual_periods]
    unit = units.display_unit(kind, float(np.max(values)), system)
    factor = units.factor_of(unit, kind)
    widths = np.linspace(1.0, 2.4, len(values))
    curves = [
        Curve(hours, value / factor, "water", f"1 in {period:g}", width=float(width), tagged=True)
        for period, value, width in zip(table.own_periods, values, widths, strict=True)
    ]
    curves += _points_of(table, intensity, factor)
    curves += _bands_of(table, intensity, factor)
    if other is not None:
        between = _durations_of(other)
        for period in other.annual_periods:
            drawn = values_of(other, between, period) / factor
            name = f"beside 1 in {period:.4g}"
            curves.append(Curve(between / 3600, drawn, "observed", name, style="dashed", width=1.2))
        shortest, longest = min(shortest, other.own_durations[0]), max(longest, other.longest)
    ticks = tuple((h, units.show_duration(h * 3600)) for h in NAMED_HOURS if shortest <= h * 3600 <= longest)
    label = "mean intensity" if intensity else "depth"
    if linear:
        # beside a long axis the short durations fall together; those that are parted are named
        wide = tuple((h, words) for h, words in ticks if h * 3600 >= longest / 16)
        x = Axis("duration", "h", low=0.0, high=longest / 3600 * 1.02, ticks=wide)
        y = Axis(label, unit, low=0.0)
    else:
        x = Axis("duration", "h", low=shortest / 3600 / 1.3, high=longest / 3600 * 2.4, log=True, ticks=ticks)
        y = Axis(label, unit, log=True, ticks=_round_values(np.array(values) / factor))
    told = [
        f"Rain {label} by duration",
        *(part for part in (_short(table.source), table.told, table.limits_name) if part),
    ]
    if other is not None:
        told.append(f"beside, dashed: {other.source or other.told}")
    return Plot(" · ".join(told), x, y, tuple(curves))


def areal_plot(curve: ArealCurve, system: System) -> Plot:
    """Shares of the point depth by area, a line for each duration of a typed curve."""
    unit = units.display_unit("area", list(curve.areas), system)
    factor = units.factor_of(unit, "area")
    areas = np.geomspace(curve.areas[0], curve.areas[-1], POINTS) if len(curve.areas) > 1 else np.array(curve.areas)
    curves = []
    for column, duration in enumerate(curve.durations or (3600.0,)):
        shares = np.array([float(curve.at(area, duration)) for area in areas])
        name = units.show_duration(duration) if curve.durations else "all durations"
        curves.append(Curve(areas / factor, shares, "water", name, tagged=True))
        own = np.array([row[column] for row in curve.factors])
        curves.append(Curve(np.array(curve.areas) / factor, own, "observed", width=0.0, dots=True))
    x = Axis("area", unit, log=True, ticks=_round_values(np.array(curve.areas) / factor))
    y = Axis("share of the point depth", "", low=0.0, high=1.0)
    return Plot("Share of the point depth by area", x, y, tuple(curves))


def _durations_of(table: Depths) -> Floats:
    """Durations at which the curves of a table are drawn: its own, and some between them."""
    shortest, longest = table.own_durations[0], table.longest
    count = max(int(POINTS * np.log10(longest / shortest)), 2)
    between = np.geomspace(shortest, longest, count)[1:-1]
    return np.unique(np.concatenate([table.own_durations, between]))


def _points_of(table: Depths, intensity: bool, factor: float) -> list[Curve]:
    """Typed depths as dots: those of the table, or those that an equation is fitted to."""
    points = table.typed_table
    if points is None:
        return []
    hours = np.array(points.durations) / 3600
    columns = (np.array([row[n] for row in points.depths]) for n in range(len(points.return_periods)))
    return [
        Curve(hours, (given / hours if intensity else given) / factor, "quiet", width=0.0, dots=True)
        for given in columns
    ]


def _bands_of(table: Depths, intensity: bool, factor: float) -> list[Curve]:
    """The limits of the depths as thin dashed lines."""
    if table.bands is None:
        return []
    hours = np.array(table.own_durations) / 3600
    found = []
    for rows in table.bands:
        for n in range(len(table.own_periods)):
            given = np.array([row[n] for row in rows])
            drawn = (given / hours if intensity else given) / factor
            found.append(Curve(hours, drawn, "quiet", style="dotted", width=0.8))
    return found


def _round_values(values: Floats) -> tuple[tuple[float, str], ...]:
    """Ticks at 1, 2 and 5 times the powers of ten in the range of the values."""
    low, high = float(values.min()), float(values.max())
    powers = range(int(np.floor(np.log10(low))), int(np.ceil(np.log10(high))) + 1)
    found = (step * 10.0**power for power in powers for step in (1, 2, 5))
    return tuple((v, f"{v:g}") for v in found if low / 1.15 <= v <= high * 1.15)


def _fallen(rain: Floats, step: float, system: System, where: str) -> str:
    """Depth of a storm and its greatest depth in a step, in words."""
    most = float(rain.max(initial=0.0))
    return (
        f"{units.show(float(rain.sum()), 'rain', system)} {where} · most in {units.show_duration(step)}: "
        f"{units.show(most, 'rain', system)}, {units.show(most / step * 3600, 'rain rate', system)}"
    )


def given_plot(study: Study, storm: GivenStorm, catchment: str) -> Plot:
    """Rain of a given storm in its own steps, on a catchment (by key) or on its first one."""
    rained_on = [key for key, element in study.all_elements.items() if element.takes_rain and storm.depths_on(key)]
    key = catchment if catchment in rained_on else next(iter(rained_on), "")
    given = np.array(storm.depths_on(key) or (0.0,), float)
    rain = np.nan_to_num(given)
    unit = units.display_unit("rain", float(rain.max(initial=0.0)), study.units)
    where = "everywhere" if storm.even else f"on {study.name_of(key)}"
    title = f"{storm.name} · {_fallen(rain, storm.step, study.units, where)}"
    if missing := int(np.isnan(given).sum()):
        title += f" · missing in {missing} steps"
    left = np.arange(len(rain)) * storm.step / 3600
    x = Axis("time", "h", low=0.0, high=storm.duration / 3600, origin=storm.begins)
    y = Axis(f"rain in {units.show_duration(storm.step)}", unit, low=0.0)
    return Plot(
        title, x, y, bars=(Bars(left, storm.step / 3600, rain / units.factor_of(unit, "rain"), "rain", "rain"),)
    )


def storm_plot(
    family: StormFamily, table: Depths, return_period: float, duration: float, step: float, system: System
) -> Plot:
    """Rain of a storm at a point in each step, and its cumulative share as a line on a second axis.

    The dry time before and after it is drawn in whole steps, as it is computed.
    """
    own = family.increments(table, return_period, duration, area=0.0, step=step)
    rain = family.laid(own, step)
    unit = units.display_unit("rain", float(rain.max(initial=0.0)), system)
    factor = units.factor_of(unit, "rain")
    left = np.arange(len(rain)) * step / 3600
    title = f"1 in {return_period:g} · {units.show_duration(duration)} · {_fallen(rain, step, system, 'at a point')}"
    # the rain ends with its duration, though its last step may reach beyond it
    dry, after = (int(np.ceil(time / step - 1e-9)) for time in (family.lead, family.tail))
    ends = np.arange(len(rain) + 1) * step
    ends[dry + len(own) :] = dry * step + duration + np.arange(after + 1) * step
    share = np.append(0.0, np.cumsum(rain)) / rain.sum() * rain.max() if rain.sum() else np.zeros(len(rain) + 1)
    total = Curve(ends / 3600, share / factor, "ink", "share of the depth fallen", width=1.2)
    x = Axis("time", "h", low=0.0, high=float(ends[-1]) / 3600)
    y = Axis(f"rain in {units.show_duration(step)}", unit, low=0.0)
    top_of_share = float(rain.max(initial=0.0)) / factor
    shares = tuple((top_of_share * tenths / 10, f"{10 * tenths}") for tenths in (0, 2, 4, 6, 8, 10))
    beside = Axis("share of the depth fallen", "%", ticks=shares) if top_of_share else None
    return Plot(
        title, x, y, beside=beside, curves=(total,), bars=(Bars(left, step / 3600, rain / factor, "rain", "rain"),)
    )


def patterns_plot(curves: Sequence[MassCurve]) -> Plot:
    """Mass curves of patterns, and their mean where there are several."""
    drawn = [Curve(100 * np.array(c.times), 100 * np.array(c.shares), "rain", c.name, width=1.0) for c in curves]
    if len(curves) > 1:
        times = np.linspace(0, 1, 101)
        mean = np.mean([c.fallen(times) for c in curves], axis=0)
        drawn.append(Curve(100 * times, 100 * mean, "water", "mean", width=2.2))
    title = f"{len(curves)} patterns" if len(curves) > 1 else curves[0].name
    x = Axis("share of the time", "%", low=0.0, high=100.0)
    return Plot(title, x, Axis("share of the depth", "%", low=0.0, high=100.0), tuple(drawn))
