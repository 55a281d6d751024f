"""Draws plot descriptions for pages and files."""

from __future__ import annotations

from datetime import datetime
from pathlib import Path
from typing import TYPE_CHECKING

import numpy as np

from tarnwater.brief import colours
from tarnwater.clock import date_ticks
from tarnwater.plots import HANGING, Axis, Hanging, Plot, Role
from tarnwater.units import rounded

if TYPE_CHECKING:
    from matplotlib.axes import Axes
    from matplotlib.figure import Figure

COLOURS: dict[Role, str] = {
    "ink": colours.INK,
    "water": colours.WATER,
    "loss": colours.LOSS,
    "rain": colours.RAIN,
    "limit": colours.LIMIT,
    "observed": colours.OBSERVED,
    "quiet": colours.QUIET,
    "paper": colours.PAPER,
}
DASHES = {"solid": "-", "dashed": "--", "dashdot": "-.", "dotted": ":"}

DOTS_PER_INCH = 110

#: Number of dates on an axis.
MOST_DATES = 8


def save_plot(plot: Plot, path: Path, *, width: float = 8.2, height: float = 4.8) -> None:
    """Save a plot as PNG, SVG or PDF (by the suffix), inches wide and high, or as DXF in the units of its axes.

    Raises OSError, or ValueError for another suffix.
    """
    suffix = path.suffix.lower()
    if suffix == ".dxf":
        _save_dxf(plot, path)
    elif suffix in (".png", ".svg", ".pdf"):
        drawn_plot(plot, width, height).savefig(path, dpi=DOTS_PER_INCH)
    else:
        raise ValueError("the name must end in .png, .svg, .pdf or .dxf")


def _save_dxf(plot: Plot, path: Path) -> None:
    """The curves as lines on a layer of their name, a unit of the axis to a unit of the drawing."""
    from ezdxf.filemanagement import new

    made = new("R2010", setup=True)
    space = made.modelspace()
    for number, curve in enumerate(plot.curves):
        layer = "".join(letter if letter.isalnum() or letter in " -_" else "_" for letter in curve.label) or "curve"
        layer = f"{number + 1} {layer}"
        made.layers.add(layer, color=1 + number % 6)
        points = [(float(x), float(y)) for x, y in zip(curve.x, curve.y, strict=True)]
        if len(points) > 1:
            space.add_lwpolyline(points, dxfattribs={"layer": layer})
        else:
            for point in points:
                space.add_point(point, dxfattribs={"layer": layer})
    made.layers.add("words", color=7)
    ends = [float(v) for curve in plot.curves for v in curve.y if np.isfinite(v)] or [0.0, 1.0]
    letter = 0.03 * max(max(ends) - min(ends), 1e-6)
    told = (plot.title, f"across: {plot.x.title}", f"up: {plot.y.title}")
    for number, words in enumerate(told):
        at = 0.0, min(ends) - (2 + 1.6 * number) * letter
        space.add_text(words, height=letter, dxfattribs={"layer": "words"}).set_placement(at)
    made.saveas(path)


def drawn_plot(plot: Plot, width: float = 8.2, height: float = 4.8) -> Figure:
    """A figure with one plot, inches wide and high."""
    from matplotlib.figure import Figure

    sheet = Figure(figsize=(width, height), facecolor=colours.PAPER, layout="constrained")
    draw(sheet.add_subplot(), plot)
    return sheet


def draw(axes: Axes, plot: Plot) -> None:
    """Draw a plot on matplotlib's axes."""
    axes.set_facecolor(colours.PAPER)
    for bars in plot.bars:
        axes.bar(bars.left, bars.heights, bars.width, bottom=bars.base, align="edge", color=COLOURS[bars.role],
                 label=bars.label or None)  # fmt: skip
    for curve in plot.curves:
        colour = COLOURS[curve.role]
        axes.plot(curve.x, curve.y, color=colour, linestyle=DASHES[curve.style], linewidth=curve.width,
                  label=None if curve.tagged else curve.legend or curve.label or None, markersize=3.5,
                  marker="o" if curve.dots else None,
                  markerfacecolor=colours.PAPER)  # fmt: skip
        if curve.tagged:
            axes.annotate(curve.label, (curve.x[-1], curve.y[-1]), xytext=(5, 0), textcoords="offset points",
                          fontsize=7.5, va="center")  # fmt: skip
        if curve.filled:
            axes.fill_between(curve.x, curve.y, color=colour, alpha=0.1, linewidth=0)
    for mark in plot.marks:
        axes.plot([mark.x], [mark.y], marker="o", color=COLOURS[mark.role], markersize=5)
        axes.annotate(mark.text, (mark.x, mark.y), xytext=(6, 4), textcoords="offset points", fontsize=7.5,
                      bbox={"facecolor": colours.PAPER, "edgecolor": "none", "alpha": 0.8, "pad": 0.5})  # fmt: skip
    for level in plot.levels:
        axes.axhline(level.y, color=COLOURS[level.role], linewidth=1.0, linestyle="--")
        axes.annotate(level.text, (0.99, level.y), xycoords=("axes fraction", "data"), ha="right", va="bottom",
                      fontsize=7.5, color=COLOURS[level.role])  # fmt: skip
    _set_axis(axes, "x", plot.x)
    _set_axis(axes, "y", plot.y)
    if plot.hanging is not None:
        _hang(axes, plot.hanging)
    if plot.beside is not None:
        second = axes.secondary_yaxis("right")
        places, names = zip(*plot.beside.ticks, strict=True)
        second.set_yticks(np.array(places), names)
        second.set_ylabel(plot.beside.title, fontsize=7.5)
        second.tick_params(labelsize=7, colors=colours.RAIN)
    axes.set_title(plot.title, loc="left", color=colours.INK, fontsize=9.5, wrap=True)
    axes.tick_params(labelsize=7.5, colors=colours.RAIN)
    _draw_legend(axes)
    for side in ("top", "right"):
        axes.spines[side].set_visible(False)


def _draw_legend(axes: Axes) -> None:
    """Draw a legend where there is more than one curve, each name once."""
    handles, labels = axes.get_legend_handles_labels()
    named = dict(zip(labels, handles, strict=True))
    if len(named) > 1:
        axes.legend(named.values(), named.keys(), frameon=False, fontsize=8)


def _hang(axes: Axes, hanging: Hanging) -> None:
    low, high = axes.get_ylim()
    axes.set_ylim(low, low + (high - low) / (1.0 - HANGING))
    above = axes.twinx()
    bars = hanging.bars
    above.bar(bars.left, bars.heights, bars.width, align="edge", color=COLOURS[bars.role], alpha=0.6, linewidth=0)
    above.set_ylim(hanging.greatest / HANGING, 0.0)
    above.set_yticks([0.0, hanging.greatest], ["0", rounded(hanging.greatest, 3)])
    above.set_ylabel(hanging.axis.title, fontsize=7.5, loc="top")
    above.tick_params(labelsize=7, colors=colours.RAIN)
    for side in ("top", "left"):
        above.spines[side].set_visible(False)


def _set_dates(axes: Axes, origin: datetime, high: float | None) -> None:
    low, end = axes.get_xlim()
    places, names = zip(*date_ticks(origin, max(low, 0.0), end if high is None else high, MOST_DATES), strict=True)
    axes.set_xticks(np.array(places), names)


def _set_axis(axes: Axes, which: str, axis: Axis) -> None:
    getattr(axes, f"set_{which}label")(axis.title, fontsize=8)
    if axis.log:
        getattr(axes, f"set_{which}scale")("log")
    if axis.origin is not None and which == "x":
        _set_dates(axes, axis.origin, axis.high)
    if axis.ticks:
        places, names = zip(*axis.ticks, strict=True)
        getattr(axes, f"set_{which}ticks")(np.array(places), names, minor=False)
        getattr(axes, f"set_{which}ticks")([], minor=True)
    low, high = axis.low, axis.high
    if low is not None or high is not None:
        limits = {"left" if which == "x" else "bottom": low, "right" if which == "x" else "top": high}
        getattr(axes, f"set_{which}lim")(**{name: value for name, value in limits.items() if value is not None})
    if axis.downward:
        getattr(axes, f"invert_{which}axis")()
