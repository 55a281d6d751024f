"""The peak of every element under every condition and event, in the case that governs a design point.

An element that does not drain there is shown with the storm made for its own outfall, which is named.
"""

from __future__ import annotations

from dataclasses import dataclass

from tarnwater.study.answers import Results
from tarnwater.study.answers.storms import Event, event_title, in_order
from tarnwater.study.document import Study
from tarnwater.units import display_unit, rounded, to_unit


@dataclass(frozen=True)
class Passing:
    """Peak (m3/s) of an element in a case, when it is, and the design point that the storm of the case is made for."""

    peak: float
    when: str
    made_for: str


#: Heads of the columns: condition and event.
Head = tuple[str, Event]


def passing_by_element(results: Results, point: str) -> tuple[list[Head], dict[str, list[Passing | None]]]:
    """Heads (condition, event), and the peaks of each element; None where it is not in the condition."""
    heads = [(c, event) for event in _events(results, point) for c in results.study.conditions]
    table: dict[str, list[Passing | None]] = {}
    for key in results.study.all_elements:
        row: list[Passing | None] = []
        for condition, event in heads:
            case = results.showing(key, condition, point, event)
            if case is None:
                row.append(None)
            else:
                peak = case.peak(key)
                row.append(Passing(peak.ordinate, case.when(peak.time), case.case.point))
        table[key] = row
    return heads, table


def _events(results: Results, point: str) -> list[Event]:
    return in_order(results.study, [e for c in results.study.conditions for e in results.events_of(c, point)])


def element_rows(results: Results, point: str) -> list[list[str]]:
    """The table in words, heads first: peak and time in each cell, in one unit."""
    study = results.study
    heads, table = passing_by_element(results, point)
    unit = display_unit("flow", [p.peak for row in table.values() for p in row if p is not None], study.units)
    rows = [[f"element, peak {unit} at", *(f"{event_title(study, e)}, {study.conditions[c].name}" for c, e in heads)]]
    for key, row in table.items():
        rows.append([study.name_of(key), *(_words(study, passing, unit, point) for passing in row)])
    return rows


def _words(study: Study, passing: Passing | None, unit: str, point: str) -> str:
    if passing is None:
        return ""
    whose = "" if passing.made_for == point else f", made for {study.name_of(passing.made_for)}"
    return f"{rounded(to_unit(passing.peak, unit, 'flow'))} at {passing.when}{whose}"
