"""Every element under every condition and return period: what its flow is in the case that governs a design point."""

from __future__ import annotations

from dataclasses import dataclass

from tarnwater.study.cases import Results
from tarnwater.units import display_unit, figures, show_duration, to_unit


@dataclass(frozen=True)
class Passing:
    """Peak (m3/s) and time of peak (s) of an element in a case, and how long the storm of the case lasts (s)."""

    peak: float
    time: float
    duration: float


#: Heads of the columns: condition and return period.
Head = tuple[str, float]


def passing_by_element(results: Results, point: str) -> tuple[list[Head], dict[str, list[Passing | None]]]:
    """Heads (condition, return period), and for each element what passes it; None where it is not in the condition."""
    heads = [(c, t) for t in _periods(results, point) for c in results.study.conditions]
    cases = [results.governing(c, point, t) for c, t in heads]
    table: dict[str, list[Passing | None]] = {}
    for key in results.study.all_elements:
        row: list[Passing | None] = []
        for case in cases:
            if case is None or key not in case.network.elements:
                row.append(None)
            else:
                peak = case.peak(key)
                row.append(Passing(peak.ordinate, peak.time, case.case.storm.duration))
        table[key] = row
    return heads, table


def _periods(results: Results, point: str) -> list[float]:
    return sorted({t for c in results.study.conditions for t in results.periods_of(c, point)})


def element_rows(results: Results, point: str) -> list[list[str]]:
    """The table in words, heads first: peak and time in each cell, in one unit."""
    study = results.study
    heads, table = passing_by_element(results, point)
    unit = display_unit("flow", [p.peak for row in table.values() for p in row if p is not None], study.units)
    rows = [[f"element, peak {unit} at", *(f"1 in {t:g}, {study.conditions[c].name}" for c, t in heads)]]
    for key, row in table.items():
        rows.append([study.name_of(key), *(_words(passing, unit) for passing in row)])
    return rows


def _words(passing: Passing | None, unit: str) -> str:
    if passing is None:
        return ""
    return f"{figures(to_unit(passing.peak, unit, 'flow'))} at {show_duration(round(passing.time))}"
