"""Figures of the case in view, for sheets and maps."""

from __future__ import annotations

from tarnwater.desk.desk import Desk


def figure_of(desk: Desk, key: str, figure: str) -> float | None:
    """A figure of an element in the case that shows it: ``peak``, or another field of its figures; None without one."""
    case = desk.case_showing(key)
    if case is None:
        return None
    figures = case.figures(key)
    found: float | None = figures.peak.ordinate if figure == "peak" else getattr(figures, figure)
    return found
