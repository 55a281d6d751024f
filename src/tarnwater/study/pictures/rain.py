"""Plots of rain: depths by duration and return period, and the storms made of them."""

from __future__ import annotations

import numpy as np

from tarnwater import units
from tarnwater.arrays import Floats
from tarnwater.plots import Axis, Bars, Curve, Plot
from tarnwater.rain.depths import Depths
from tarnwater.rain.given import GivenStorm
from tarnwater.rain.storms import StormFamily
from tarnwater.study.document import Study
from tarnwater.units import System

#: Durations that are named on the axis, h.
NAMED_HOURS = (5 / 60, 10 / 60, 0.25, 0.5, 1.0, 2.0, 3.0, 6.0, 12.0, 24.0, 48.0, 96.0, 240.0)

#: Points drawn for each tenfold duration.
POINTS = 24


def depth_plot(table: Depths, system: System, *, intensity: bool = False) -> Plot:
    """Depth (or mean intensity) by duration on log axes, one curve for each return period, exact at the entries."""
    shortest, longest = table.own_durations[0], table.longest
    count = max(int(POINTS * np.log10(longest / shortest)), 2)
    between = np.geomspace(shortest, longest, count)[1:-1]
    durations = np.unique(np.concatenate([table.own_durations, between]))
    hours = durations / 3600
    kind = "rain rate" if intensity else "rain"
    depths = [table.depth(durations, period) for period in table.own_periods]
    values = [depth / hours if intensity else depth for depth in depths]
    unit = units.display_unit(kind, float(np.max(values)), system)
    factor = units.factor_of(unit, kind)
    widths = np.linspace(1.0, 2.4, len(values))
    curves = [
        Curve(hours, value / factor, "water", f"1 in {period:g}", width=float(width), tagged=True)
        for period, value, width in zip(table.own_periods, values, widths, strict=True)
    ]
    entries = np.array(table.own_durations) / 3600
    for column in range(len(values)):
        given = np.array([row[column] for row in table.listed])
        shown = (given / entries if intensity else given) / factor
        curves.append(Curve(entries, shown, "quiet", width=0.0, dots=True))
    ticks = tuple((h, units.show_duration(h * 3600)) for h in NAMED_HOURS if shortest <= h * 3600 <= longest)
    low, high = shortest / 3600 / 1.3, longest / 3600 * 2.4
    x = Axis("duration", "h", low=low, high=high, log=True, ticks=ticks)
    label = "mean intensity" if intensity else "depth"
    y = Axis(label, unit, log=True, ticks=_round_values(np.array(values) / factor))
    source = f" · {table.source}" if table.source else ""
    return Plot(f"Rain {label} by duration{source}", x, y, tuple(curves))


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
    """Rain of a storm at a point in each step, and its cumulative share as a line on a second axis."""
    rain = family.increments(table, return_period, duration, area=0.0, step=step)
    unit = units.display_unit("rain", float(rain.max(initial=0.0)), system)
    factor = units.factor_of(unit, "rain")
    left = np.arange(len(rain)) * step / 3600
    title = f"1 in {return_period:g} · {units.show_duration(duration)} · {_fallen(rain, step, system, 'at a point')}"
    ends = np.append(left, duration / 3600)
    share = np.append(0.0, np.cumsum(rain)) / rain.sum() * rain.max() if rain.sum() else np.zeros(len(rain) + 1)
    total = Curve(ends, share[: len(ends)] / factor, "ink", "share of the depth fallen", width=1.2)
    x = Axis("time", "h", low=0.0, high=duration / 3600)
    y = Axis(f"rain in {units.show_duration(step)}", unit, low=0.0)
    top_of_share = float(rain.max(initial=0.0)) / factor
    shares = tuple((top_of_share * tenths / 10, f"{10 * tenths}") for tenths in (0, 2, 4, 6, 8, 10))
    beside = Axis("share of the depth fallen", "%", ticks=shares) if top_of_share else None
    return Plot(
        title, x, y, beside=beside, curves=(total,), bars=(Bars(left, step / 3600, rain / factor, "rain", "rain"),)
    )
