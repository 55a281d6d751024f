"""Printing the view: the table, the plots or the reckoning, under study, condition, storm and units."""

from __future__ import annotations

from pathlib import Path

from PyQt6.QtCore import QPoint

from tarnwater.brief.answers import answer_rows, points_answered
from tarnwater.brief.elements import element_rows
from tarnwater.brief.page import as_columns, heads_of, inputs_of, print_lines, print_plots
from tarnwater.desk.benches.bench import Bench
from tarnwater.desk.desk import Desk
from tarnwater.desk.widgets.plot_view import PlotView
from tarnwater.errors import ComputationFailed
from tarnwater.reckoning import Reckoning


def print_view(desk: Desk, bench: Bench, reckoning: Reckoning | None, path: Path) -> str:
    """Print the reckoning that is open, or else the table or the plots of the bench; returns what was printed."""
    heads = heads_of(desk.study, desk.case_showing(desk.selection) or desk.case_in_view())
    element = desk.elements.get(desk.selection)
    inputs = [] if element is None else [element.name, *inputs_of(desk.study, element)]
    if reckoning is not None:
        print_lines(path, heads, list(reckoning.lines(desk.study.units)), inputs)
        return "the reckoning"
    table = getattr(bench, "table_in_view", "")
    if table and desk.results is not None and desk.view is not None:
        # a table has all conditions and storms, so the case in view is not its head
        print_lines(path, heads_of(desk.study, None), _table_lines(desk, table))
        return "the table"
    views = [view for view in bench.findChildren(PlotView) if view.isVisible()]
    views.sort(key=lambda view: view.mapTo(bench, QPoint()).y())
    plots = [view.plot for view in views if view.plot is not None]
    if not plots:
        raise ComputationFailed("there is nothing to print here.", remedy="Go to a bench with a plot or a table.")
    print_plots(path, heads, plots, inputs)
    return "the plots" if len(plots) > 1 else "the plot"


def _table_lines(desk: Desk, table: str) -> list[str]:
    assert desk.results is not None
    assert desk.view is not None
    if table == "elements":
        told = f"All elements in the storms that govern {desk.study.name_of(desk.view.point)}"
        return [told, "", *as_columns(element_rows(desk.results, desk.view.point))]
    lines: list[str] = []
    for point in points_answered(desk.results):
        lines += [desk.study.name_of(point), *as_columns(answer_rows(desk.results, point)), ""]
    return lines
