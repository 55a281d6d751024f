"""One element under several conditions, events and durations, on one plot."""

from __future__ import annotations

from collections.abc import Collection, Sequence
from dataclasses import replace
from typing import Any

from tarnwater import units
from tarnwater.plots import STYLES, Axis, Plot, Role, end_above
from tarnwater.study.answers import CaseResult, Results
from tarnwater.study.answers.storms import Event, event_title, in_order
from tarnwater.study.pictures.hydrographs import HOURS, event_end, flow_curve, peak_mark, time_axis

#: Curves up to which each has its peak in the key.
NAMED = 12

#: Colours of what is told apart first, and line widths of what is told apart last.
COLOURS: tuple[Role, ...] = ("water", "loss", "ink", "observed", "limit", "rain")
WIDTHS = (1.8, 1.2, 2.6, 0.8, 3.2)


def durations_of(results: Results, key: str) -> list[float]:
    """Durations (s) of the counted storms of the cases that have an element."""
    there = (r for r in results.cases if r.standing == "counted" and key in r.network.elements)
    return sorted({r.case.storm.duration for r in there if not isinstance(r.case.event, str)})


def events_of(results: Results, key: str) -> list[Event]:
    """Events of the cases that have an element, from frequent to rare, then given storms."""
    return in_order(results.study, [r.case.event for r in results.cases if key in r.network.elements])


def ticked_cases(
    results: Results,
    key: str,
    point: str,
    conditions: Sequence[str],
    events: Sequence[Event],
    durations: Collection[float],
    *,
    governing: bool,
) -> list[CaseResult]:
    """Cases of an element as they are ticked: its governing ones, and those of some durations (s).

    An element that does not drain to the design point is shown with the storms made for its own.
    """
    found: dict[tuple[str, Event, float], CaseResult] = {}
    for condition in conditions:
        for event in events:
            first = results.showing(key, condition, point, event)
            if first is None:
                continue
            if governing or isinstance(event, str):
                found[condition, event, first.case.storm.duration] = first
            for case in results.of(condition, first.case.point, event):
                if case.case.storm.duration in durations and not isinstance(event, str):
                    found.setdefault((condition, event, case.case.storm.duration), case)
    return list(found.values())


def ticked_plot(results: Results, cases: Sequence[CaseResult], key: str) -> Plot:
    """Hydrographs of an element in some cases.

    Colour tells conditions apart, or events where there is one condition, or durations where there is one event too;
    line style and width tell the next two apart.
    """
    study, system = results.study, results.study.units
    if not cases:
        return Plot(study.name_of(key), HOURS, Axis("flow", "", low=0.0))
    unit = units.display_unit("flow", [case.peak(key).ordinate for case in cases], system)
    told: dict[str, list[Any]] = {
        "condition": [case.case.condition for case in cases],
        "event": [case.case.event for case in cases],
        "duration": [case.case.storm.duration for case in cases],
    }
    several = [name for name, values in told.items() if len(set(values)) > 1]
    curves, marks = [], []
    for number, case in enumerate(cases):
        place = [list(dict.fromkeys(told[name])).index(told[name][number]) for name in several] + [0, 0, 0]
        role, style = COLOURS[place[0] % len(COLOURS)], STYLES[place[1] % len(STYLES)]
        width = WIDTHS[(place[2] + place[1] // len(STYLES)) % len(WIDTHS)]
        name = _words(results, case)
        curve = flow_curve(case.flow(key), case.step, unit, role, name, style)
        curves.append(replace(curve, width=width))
        if len(cases) <= NAMED:
            marks.append(peak_mark(case, case.peak(key), unit, role))
    until = end_above(max(event_end(case, key) for case in cases))
    origins = {case.origin for case in cases}
    axis = time_axis(cases[0]) if len(origins) == 1 else replace(HOURS, label="time from the start of each storm")
    more = "" if len(cases) <= NAMED else f" · {len(cases)} hydrographs; point at one to read it"
    return Plot(
        f"{study.name_of(key)}{more}", replace(axis, high=until), Axis("flow", unit, low=0.0), tuple(curves),
        marks=tuple(marks),
    )  # fmt: skip


def _words(results: Results, case: CaseResult) -> str:
    """Condition, event and duration of a case."""
    study, storm = results.study, case.case.storm
    event = event_title(study, case.case.event)
    return f"{study.conditions[case.case.condition].name} · {event} · {units.show_duration(storm.duration)}"
