"""Peaks by duration of one answer: where the greatest lies, and how far the members of an ensemble scatter."""

from __future__ import annotations

import numpy as np

from tarnwater import units
from tarnwater.plots import Axis, Curve, Mark, Plot, Role
from tarnwater.study.answers import CaseResult, Results
from tarnwater.study.answers.storms import Event, event_title
from tarnwater.study.pictures.rain import NAMED_HOURS


def durations_plot(results: Results, condition: str, point: str, event: Event) -> Plot | None:
    """Peaks of all cases of an answer by duration, one line for each family; None without a case.

    The line of an ensemble goes through the typical peaks of its durations, and its members are dots.
    """
    found, study = results.all_of(condition, point, event), results.study
    if not found:
        return None
    governing = results.governing(condition, point, event)
    unit = units.display_unit("flow", [r.peak(point).ordinate for r in found], study.units)
    factor = units.factor_of(unit, "flow")
    curves: list[Curve] = []
    for place in dict.fromkeys(r.case.storm.place for r in found):
        own = [r for r in found if r.case.storm.place == place]
        curves += _curves_of(results, own, point, factor, counted=own[0].standing != "beside")
    hours = [r.case.storm.duration / 3600 for r in found]
    low, high = min(hours) / 1.3, max(hours) * 1.3
    ticks = tuple((h, units.show_duration(h * 3600)) for h in NAMED_HOURS if low <= h <= high)
    marks = () if governing is None else (_mark(results, governing, point, unit, factor),)
    names = dict.fromkeys(r.case.storm.maker(study) for r in found if r.standing != "beside")
    title = f"Peaks by duration · {event_title(study, event)} · {', '.join(names)}"
    if len({r.case.storm.mark[:2] for r in found}) < len(found):
        title += " · dots: patterns of the ensemble"
    x = Axis("duration", "h", low=low, high=high, log=True, ticks=ticks)
    return Plot(title, x, Axis("flow", unit, low=0.0), tuple(curves), marks=marks)


def _curves_of(results: Results, own: list[CaseResult], point: str, factor: float, *, counted: bool) -> list[Curve]:
    """The line of a family, and the dots of its members."""
    role: Role = "water" if counted else "quiet"
    typical = {r.case.storm.duration: results.typical_peak(r) for r in own}
    lengths = sorted(typical)
    name = own[0].case.storm.maker(results.study)
    line = np.array([typical[d] for d in lengths]) / factor
    hours = np.array(lengths) / 3600
    curves = [Curve(hours, line, role, name)]
    if len(own) == len(lengths):
        curves.append(Curve(hours, line, role, width=0.0, dots=True))
    else:
        at = np.array([r.case.storm.duration / 3600 for r in own])
        peaks = np.array([r.peak(point).ordinate for r in own]) / factor
        curves.append(Curve(at, peaks, "observed", "its patterns", width=0.0, dots=True))
    return curves


def _mark(results: Results, governing: CaseResult, point: str, unit: str, factor: float) -> Mark:
    """The governing peak; of an ensemble that of the typical member, whose storm is shown."""
    peak = governing.peak(point).ordinate
    return Mark(governing.case.storm.duration / 3600, peak / factor, units.show(peak, "flow", unit=unit))
