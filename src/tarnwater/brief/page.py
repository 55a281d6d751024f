"""A printed page: the view, under a head with study, condition, storm and units."""

from __future__ import annotations

import textwrap
from collections.abc import Iterator, Sequence
from pathlib import Path
from typing import TYPE_CHECKING

from tarnwater.brief import colours
from tarnwater.brief.plots import draw
from tarnwater.network.elements import Element
from tarnwater.parameters import Description, Setting
from tarnwater.plots import Plot
from tarnwater.study.answers import CaseResult
from tarnwater.study.answers.storms import storm_title
from tarnwater.study.document import Study
from tarnwater.study.document.fields import quantities_in
from tarnwater.study.file.writing import write_whole
from tarnwater.units import show, show_duration

if TYPE_CHECKING:
    from matplotlib.figure import Figure

#: A4 upright, in inches, and its margin.
WIDTH, HEIGHT, MARGIN = 8.27, 11.69, 0.7

#: Letters in a line, lines on a page, and their height in points.
LETTERS, LINES, POINTS = 96, 80, 8

#: Number of fixed-width letters in a line of a table or a reckoning.
COLUMNS = 110


def heads_of(study: Study, case: CaseResult | None) -> list[str]:
    """The head of every page: the study, the condition and the storm of a case, the units, and the step."""
    named = " · ".join(part for part in (study.title, study.number, study.author) if part)
    lines = [named]
    if case is not None:
        condition = study.conditions[case.case.condition].name
        lines.append(f"{condition} · {storm_title(study, case.case.storm)} · for {study.name_of(case.case.point)}")
    units = "SI" if study.units == "SI" else "US customary units"
    step = "" if study.run.step.value is None else f" · step {show_duration(study.run.step.value)}"
    lines.append(f"{units}{step}")
    return lines


def inputs_of(study: Study, element: Element) -> list[str]:
    """The values of an element, each with its origin."""
    lines = []
    for path, described, held in quantities_in(element):
        value = held.value if isinstance(held, Setting) else held
        if isinstance(value, int | float) and not isinstance(value, bool):
            name = _name_of(path, described)
            came = ""
            if isinstance(held, Setting):
                came = " (typed)" if held.typed is not None else " (derived)"
            lines.append(f"{name} {show(float(value), described.kind, study.units)}{came}")
    return lines


def _name_of(path: str, described: Description) -> str:
    """A path in words, with the name of the surface where it has one."""
    parts = path.split("/")
    surface = f"surface {int(parts[1]) + 1} " if parts[0] == "surfaces" and len(parts) > 2 else ""
    return surface + described.name


def print_plots(path: Path, heads: Sequence[str], plots: Sequence[Plot], inputs: Sequence[str]) -> None:
    """Write plots under each other on a page, with their inputs below; the file is whole at any time."""
    sheet = _page(heads)
    rows = len(plots)
    room = 0.66
    for number, plot in enumerate(plots):
        height = room / rows
        bottom = 0.87 - (number + 1) * height + 0.06
        axes = sheet.add_axes((0.12, bottom, 0.74, height - 0.11))
        draw(axes, plot)
        axes.set_title(textwrap.fill(plot.title, 90), loc="left", fontsize=8)
    told = textwrap.wrap("Inputs: " + "; ".join(inputs), LETTERS) if inputs else []
    sheet.text(0.085, 0.19, "\n".join(told[:12]), fontsize=POINTS, va="top", color=colours.INK)
    _save([sheet], path)


def print_lines(path: Path, heads: Sequence[str], lines: Sequence[str], inputs: Sequence[str] = ()) -> None:
    """Write lines (a table or a reckoning) on as many pages as they need."""
    wrapped = list(_wrapped([*lines, "", *(["Inputs: " + "; ".join(inputs)] if inputs else [])]))
    sheets = []
    for begin in range(0, max(len(wrapped), 1), LINES):
        sheet = _page(heads)
        text = "\n".join(wrapped[begin : begin + LINES])
        sheet.text(0.085, 0.87, text, fontsize=7, va="top", family="monospace", color=colours.INK)
        sheets.append(sheet)
    _save(sheets, path)


def as_columns(rows: Sequence[Sequence[str]]) -> list[str]:
    """Lines of text from the rows of a table, with aligned columns: words left, figures right.

    Columns that do not fit on the page follow below, each block with the first column.
    """
    widths = [max(len(row[column]) for row in rows) for column in range(len(rows[0]))]
    lines: list[str] = []
    for columns in _parts_of_a_page(widths):
        for row in rows:
            cells = (row[c].rjust(widths[c]) if row[c][:1].isdigit() else row[c].ljust(widths[c]) for c in columns)
            lines.append("  ".join(cells).rstrip())
        lines.append("")
    return lines[:-1]


def _parts_of_a_page(widths: Sequence[int]) -> Iterator[list[int]]:
    """Groups of columns that fit on a page, each with the first column."""
    part, used = [0], widths[0]
    for column in range(1, len(widths)):
        if used + 2 + widths[column] > COLUMNS and len(part) > 1:
            yield part
            part, used = [0], widths[0]
        part.append(column)
        used += 2 + widths[column]
    yield part


def _wrapped(lines: Sequence[str]) -> Iterator[str]:
    for line in lines:
        indent = " " * (len(line) - len(line.lstrip()) + 4)
        yield from textwrap.wrap(line, COLUMNS, subsequent_indent=indent) or [""]


def _page(heads: Sequence[str]) -> Figure:
    from matplotlib.figure import Figure

    sheet = Figure(figsize=(WIDTH, HEIGHT), facecolor="white")
    first, *rest = heads
    sheet.text(0.085, 0.955, first, fontsize=12, weight="bold", color=colours.INK)
    sheet.text(0.085, 0.94, "\n".join(rest), fontsize=POINTS, va="top", color=colours.RAIN)
    return sheet


def _save(sheets: Sequence[Figure], path: Path) -> None:
    import io

    from matplotlib.backends.backend_pdf import PdfPages

    held = io.BytesIO()
    with PdfPages(held, metadata={"Creator": "Tarnwater"}) as pages:
        for number, sheet in enumerate(sheets, 1):
            sheet.text(0.915, 0.03, f"{number} / {len(sheets)}", fontsize=7, ha="right", color=colours.RAIN)
            pages.savefig(sheet)
    write_whole(path, held.getvalue())
