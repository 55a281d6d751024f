"""Plots of the cases of a study, as data."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace

import numpy as np

from tarnwater import states, units
from tarnwater.arrays import Floats
from tarnwater.network.elements import Catchment, Link
from tarnwater.network.peaks import Peak
from tarnwater.plots import STYLES, Axis, Bars, Curve, Hanging, Level, Mark, Plot, Role, Style
from tarnwater.rain.storms import Rain
from tarnwater.states import State
from tarnwater.study.answers import CaseResult, Results
from tarnwater.study.answers.storms import event_title, storm_title
from tarnwater.study.document import Study

HOURS = Axis("time", "h", low=0.0)


#: Roles of the excess of each surface; of more surfaces than these their sum is drawn.
EXCESS_ROLES: tuple[Role, ...] = ("rain", "water", "ink", "observed")

CONDITION_ROLES: tuple[Role, ...] = ("water", "ink", "loss", "observed")


def time_axis(case: CaseResult) -> Axis:
    """The time axis of a case, with dates if its storm has a date."""
    return replace(HOURS, origin=case.origin)


def rain_plot(results: Results, case: CaseResult, key: str) -> Plot:
    """Plot of the rain on a catchment, its losses and its excess."""
    element = case.element(key)
    assert isinstance(element, Catchment)
    rain, state = case.rain_on(key), case.run.batch.start.get(key)
    before = states.cases_of(element.losses_in(state), slice(case.index, case.index + 1))
    plot = losses_plot(element, rain[: _wet(rain)], case.step, results.study.units, before, case.rain_in_losses(key))
    return replace(plot, x=time_axis(case))


def losses_plot(
    element: Catchment,
    rain: Floats,
    step: float,
    system: units.System,
    before: State = None,
    fine: Rain | None = None,
) -> Plot:
    """Plot of the losses of a catchment from rain (step,) mm, also if its flow is not computed.

    ``before`` are the states of its surfaces, None at rest; ``fine`` is the rain in finer steps of its own.
    """
    by_surface = [
        part[0, : len(rain)] for part in element.excess_by_surface(fine or Rain(rain[None, :], step), step, before)
    ]
    excess = np.sum(by_surface, axis=0)
    unit = units.display_unit("rain", float(rain.max(initial=0.0)), system)
    factor = units.factor_of(unit, "rain")
    left, width = np.arange(len(rain)) * step / 3600, step / 3600
    loss = rain - excess
    share = excess.sum() / rain.sum() if rain.sum() else 0.0
    title = (
        f"rain {units.show(float(rain.sum()), 'rain', system)}, loss {units.show(float(loss.sum()), 'rain', system)}, "
        f"excess {units.show(float(excess.sum()), 'rain', system)} ({units.show(share, 'share', digits=3)})"
    )
    parts = [("excess", excess)]
    if 1 < len(by_surface) <= len(EXCESS_ROLES):
        names = [surface.name or f"surface {n}" for n, surface in enumerate(element.surfaces, start=1)]
        parts = [
            (f"{units.show(float(part.sum()), 'rain', system)} of {name}", part)
            for name, part in zip(names, by_surface, strict=True)
        ]
    bars, below = [Bars(left, width, loss / factor, "loss", "loss")], loss
    for (name, part), role in zip(parts, EXCESS_ROLES, strict=False):
        bars.append(Bars(left, width, part / factor, role, name, base=below / factor))
        below = below + part
    return Plot(
        title,
        HOURS,
        Axis(f"in {units.show_duration(step)}", unit, low=0.0, downward=True),
        bars=tuple(bars),
    )


def flow_plot(
    results: Results,
    cases: Sequence[CaseResult],
    key: str,
    *,
    ghost: CaseResult | None = None,
    limit: float | None = None,
    rained: bool = False,
) -> Plot:
    """Hydrographs of an element in some cases; conditions differ by line style and colour.

    With ``rained`` the rain of the first case is drawn from the top.
    """
    study, system = results.study, results.study.units
    shown = [case for case in cases if key in case.network.elements]
    unit = units.display_unit("flow", [case.peak(key).ordinate for case in shown], system)
    curves, marks = [], []
    if ghost is not None and key in ghost.network.elements:
        curves.append(_flow_curve(ghost, key, unit, "quiet", "before the edit", "solid"))
    for case in shown:
        name, role, style = look_of(study, case.case.condition)
        curves.append(_flow_curve(case, key, unit, role, name, style, filled=len(shown) == 1))
        marks.append(peak_mark(case, case.peak(key), unit, role))
        for number, (link, way) in enumerate(_parting(case, key), start=1):
            words, other = f"to {study.name_of(way.down)}", STYLES[number % len(STYLES)]
            curves.append(flow_curve(case.flow_by(link), case.step, unit, role, words, other))
            marks.append(peak_mark(case, case.peak_by(link), unit, role))
    if len(shown) == 1 and (base := shown[0].base(key)).any():
        ground = np.broadcast_to(base, shown[0].flow(key).shape)
        curves.append(flow_curve(ground, shown[0].step, unit, "quiet", "baseflow", "dotted"))
    levels: tuple[Level, ...] = ()
    if limit is not None:
        at = units.to_unit(limit, unit, "flow")
        levels = (Level(at, f"limit {units.show(limit, 'flow', unit=unit)}"),)
    storms = dict.fromkeys(storm_title(study, case.case.storm) for case in shown)
    storm = " and ".join(storms)
    if rained and len(storms) > 1:
        storm += f", rain of {study.conditions[shown[0].case.condition].name}"
    names = ", ".join(dict.fromkeys(study.conditions[c.case.condition].name for c in shown))
    points = [p for p in dict.fromkeys(case.case.point for case in shown) if p != key]
    whose = f" · made for {', '.join(study.name_of(p) for p in points)}" if points else ""
    title = f"{study.name_of(key)} · {names} · {storm}{whose}"
    above = hanging_rain(shown[0], system, key) if rained and shown else None
    axis = time_axis(shown[0]) if shown else HOURS
    return Plot(title, axis, Axis("flow", unit, low=0.0), tuple(curves), (), tuple(marks), levels, above)


def look_of(study: Study, condition: str) -> tuple[str, Role, Style]:
    """Name, colour and line style of a condition, the same in every plot."""
    number = list(study.conditions).index(condition)
    role, style = CONDITION_ROLES[number % len(CONDITION_ROLES)], STYLES[number % len(STYLES)]
    return study.conditions[condition].name, role, style


def hanging_rain(case: CaseResult, system: units.System, key: str = "") -> Hanging:
    """The mean rain of a case on the land above an element, its design point by default, from the top."""
    rain = case.rain_over(key or case.case.point)
    rain = rain[: _wet(rain)]
    unit = units.display_unit("rain", float(rain.max(initial=0.0)), system)
    hours = np.arange(len(rain)) * case.step / 3600
    bars = Bars(hours, case.step / 3600, rain / units.factor_of(unit, "rain"), "rain", "rain")
    return Hanging(bars, Axis(f"rain in {units.show_duration(case.step)}", unit, low=0.0))


def _wet(rain: Floats) -> int:
    """Steps from the beginning to the end of a rain."""
    wet = np.flatnonzero(rain)
    return int(wet[-1]) + 1 if len(wet) else 1


#: Share of its rise to which a hydrograph falls before it is cut off on a page.
FALLEN = 0.1


def governing_plot(results: Results, point: str) -> Plot:
    """The governing hydrographs of a design point: every return period under every condition.

    Without design storms, those of the first given storm.
    """
    study, system = results.study, results.study.units
    whole = [a for a in results.answers() if a.result.case.point == point]
    design = [a for a in whole if not isinstance(a.result.case.event, str)]
    answers = design or [a for a in whole if a.result.case.event == whole[0].result.case.event]
    unit = units.display_unit("flow", [a.figures.peak.ordinate for a in answers], system)
    curves, marks, limits = [], [], {}
    for answer in answers:
        case = answer.result.case
        name, role, style = look_of(study, case.condition)
        period = event_title(study, case.event)
        curve = _flow_curve(answer.result, point, unit, role, f"{name}, {period}", style)
        curves.append(replace(curve, width=1.4, legend=name))
        peak = units.show(answer.figures.peak.ordinate, "flow", unit=unit)
        if role == CONDITION_ROLES[0]:
            at = answer.figures.peak.time / 3600, units.to_unit(answer.figures.peak.ordinate, unit, "flow")
            marks.append(Mark(*at, f"{period}: {peak}", "ink"))
        if answer.limit is not None:
            limits[answer.limit] = f"limit {units.show(answer.limit, 'flow', unit=unit)}"
    levels = tuple(Level(units.to_unit(limit, unit, "flow"), words) for limit, words in limits.items())
    storms = " · ".join(dict.fromkeys(units.show_duration(a.result.case.storm.duration) for a in answers))
    until = max(_active_until(a.result, point) for a in answers)
    return Plot(
        f"{study.name_of(point)}: governing storms ({storms})",
        replace(time_axis(answers[0].result), label="time from the start of the rain", high=until),
        Axis("flow", unit, low=0.0),
        tuple(curves),
        marks=tuple(marks),
        levels=levels,
        hanging=hanging_rain(answers[-1].result, system),
    )


def event_end(case: CaseResult, key: str) -> float:
    """Hours until rain and flood at an element have nearly passed."""
    return max(_active_until(case, key), _wet(case.rain_over(key)) * case.step / 3600)


def _active_until(result: CaseResult, point: str) -> float:
    """Hours until a hydrograph has nearly fallen."""
    flow = result.flow(point)
    active = np.flatnonzero(flow - flow[-1] > FALLEN * (flow.max() - flow[-1]))
    return float((active[-1] if len(active) else len(flow)) * result.step / 3600)


def pinned_plot(
    results: Results, case: CaseResult, key: str, *, ghost: CaseResult | None = None, limit: float | None = None
) -> Plot:
    """A hydrograph with its ghost and its limit, for a small plot without a mark at the peak."""
    whole = flow_plot(results, [case], key, ghost=ghost, limit=limit)
    curves = tuple(replace(curve, filled=False) for curve in whole.curves)
    return replace(whole, curves=curves, marks=(), levels=tuple(replace(level, text="") for level in whole.levels))


def peak_mark(case: CaseResult, peak: Peak, unit: str, role: Role) -> Mark:
    """The mark of a peak with its figure and time."""
    figure = units.show(peak.ordinate, "flow", unit=unit)
    text = f"{figure} at {case.when(peak.time)}"
    return Mark(peak.time / 3600, units.to_unit(peak.ordinate, unit, "flow"), text, role)


def _parting(case: CaseResult, key: str) -> tuple[tuple[str, Link], ...]:
    """Links down of an element that has several, with their keys."""
    links = case.network.outlets[key]
    return links if len(links) > 1 else ()


def _flow_curve(
    case: CaseResult, key: str, unit: str, role: Role, label: str, style: Style, *, filled: bool = False
) -> Curve:
    return flow_curve(case.flow(key), case.step, unit, role, label, style, filled=filled)


def flow_curve(
    flow: Floats, step: float, unit: str, role: Role, label: str, style: Style, *, filled: bool = False
) -> Curve:
    """The curve of a hydrograph (step + 1,) in m3/s."""
    hours = np.arange(len(flow)) * step / 3600
    return Curve(hours, flow / units.factor_of(unit, "flow"), role, label, style, filled=filled)


def unit_hydrograph_plot(results: Results, case: CaseResult, key: str) -> Plot | None:
    """The unit hydrograph of a catchment at the step of a case; None if its transform has none."""
    element = case.element(key)
    assert isinstance(element, Catchment)
    return unit_plot(element, case.step, results.study.units)


def unit_plot(element: Catchment, step: float, system: units.System) -> Plot | None:
    """The unit hydrograph of a catchment at a step, of 1 mm or 1 in of excess; None if its transform has none."""
    unit = element.transform.unit(element.area.known, element.lag_used, step)
    if unit is None:
        return None
    depth = "mm" if system == "SI" else "in"
    ordinates = unit.ordinates * units.factor_of(depth, "rain")
    flow_unit = units.display_unit("flow", float(ordinates.max()), system)
    hours = np.arange(len(ordinates) + 1) * step / 3600
    flow = np.concatenate([[0.0], ordinates]) / units.factor_of(flow_unit, "flow")
    title = f"unit hydrograph, {units.show_duration(step)}, volume 1 {depth} ({unit.curve})"
    axis = Axis("", f"{flow_unit} per {depth}", low=0.0)
    return Plot(title, HOURS, axis, (Curve(hours, flow, "ink", filled=True),))
