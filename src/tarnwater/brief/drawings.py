"""Writes drawings to scale: PNG, SVG and PDF on a page at a round scale, DXF in metres with a layer for each role."""

from __future__ import annotations

import io
import math
from pathlib import Path
from typing import TYPE_CHECKING

from tarnwater.brief.plots import COLOURS, DASHES, DOTS_PER_INCH
from tarnwater.drawings import Circle, Drawing, Measure, Note, Outline, Shape
from tarnwater.study.file.writing import write_whole
from tarnwater.units import round_up

if TYPE_CHECKING:
    from ezdxf.layouts.layout import Modelspace
    from matplotlib.axes import Axes

#: The page, landscape A4, its margin, and the height of writing, mm.
PAGE, MARGIN, FOOT, LETTER = (297.0, 210.0), 15.0, 16.0, 2.5

#: Scales at which drawings are printed, times powers of ten.
SCALES = (1, 2, 2.5, 5)

#: Colours of the layers of a DXF by role (index of the AutoCAD colour table).
INDICES = {"ink": 7, "water": 140, "loss": 42, "limit": 12, "quiet": 8, "rain": 8, "observed": 202, "paper": 7}


def scale_of(drawing: Drawing) -> float:
    """The round scale 1:n at which a drawing fits the page."""
    room = PAGE[0] - 2 * MARGIN, PAGE[1] - 2 * MARGIN - FOOT
    least = max(drawing.width * 1000 / room[0], drawing.height * 1000 / room[1])
    return round_up(least, SCALES)


def save_drawing(drawing: Drawing, path: Path) -> None:
    """Save a drawing in the format of the suffix; raises OSError, or ValueError for a suffix that is none of these."""
    suffix = path.suffix.lower()
    if suffix == ".dxf":
        write_whole(path, _as_dxf(drawing))
    elif suffix in (".png", ".svg", ".pdf"):
        write_whole(path, _as_page(drawing, suffix[1:]))
    else:
        raise ValueError("the name must end in .png, .svg, .pdf or .dxf")


def _as_page(drawing: Drawing, kind: str) -> bytes:
    """The drawing on a page at a round scale, with that scale and a bar of it."""
    from matplotlib.figure import Figure

    scale = scale_of(drawing)
    sheet = Figure(figsize=(PAGE[0] / 25.4, PAGE[1] / 25.4), facecolor="white")
    wide, high = drawing.width * 1000 / scale, drawing.height * 1000 / scale
    left = (PAGE[0] - wide) / 2
    low = FOOT + MARGIN + (PAGE[1] - 2 * MARGIN - FOOT - high) / 2
    axes = sheet.add_axes((left / PAGE[0], low / PAGE[1], wide / PAGE[0], high / PAGE[1]))
    axes.set_axis_off()
    axes.set_xlim(drawing.bounds[0], drawing.bounds[2])
    axes.set_ylim(drawing.bounds[1], drawing.bounds[3])
    for shape in drawing.shapes:
        _draw(axes, shape)
    sheet.text(MARGIN / PAGE[0], (MARGIN + 6) / PAGE[1], drawing.title, fontsize=11, weight="bold")
    told = f"{drawing.told} · 1:{scale:g} on A4"
    sheet.text(MARGIN / PAGE[0], MARGIN / PAGE[1], told, fontsize=8, color=COLOURS["rain"])
    _bar(sheet.add_axes((0.0, 0.0, 1.0, 1.0)), scale)
    held = io.BytesIO()
    sheet.savefig(held, format=kind, dpi=2 * DOTS_PER_INCH)
    return held.getvalue()


def _bar(axes: Axes, scale: float) -> None:
    """A bar of a round length at the lower right, in mm of the page."""
    axes.set_axis_off()
    axes.set_xlim(0, PAGE[0])
    axes.set_ylim(0, PAGE[1])
    length = round_up(25.0 * scale / 1000)
    wide, right, up = length * 1000 / scale, PAGE[0] - MARGIN, MARGIN + 2
    axes.plot([right - wide, right], [up, up], color=COLOURS["ink"], linewidth=2)
    axes.text(right - wide / 2, up + 2, f"{length:g} m", ha="center", fontsize=7.5)


def _draw(axes: Axes, shape: Shape) -> None:
    if isinstance(shape, Outline):
        x, z = zip(*shape.places, strict=True)
        colour = COLOURS[shape.role]
        if shape.filled:
            axes.fill(x, z, color=colour, alpha=shape.filled, linewidth=0)
        if shape.width:
            if shape.closed:
                x, z = (*x, x[0]), (*z, z[0])
            axes.plot(x, z, color=colour, linestyle=DASHES[shape.style], linewidth=0.8 * shape.width)
    elif isinstance(shape, Circle):
        from matplotlib.patches import Circle as Patch

        look = {"fill": False, "edgecolor": COLOURS[shape.role], "linestyle": DASHES[shape.style]}
        axes.add_patch(Patch(shape.centre, shape.radius, linewidth=0.8 * shape.width, **look))
    elif isinstance(shape, Note):
        side = {"right": "left", "left": "right", "middle": "center"}[shape.side]
        axes.annotate(
            shape.text, shape.at, xytext=(0, 2 if shape.above else 0), textcoords="offset points", ha=side,
            va="bottom" if shape.above else "center", fontsize=7.5, color=COLOURS[shape.role],
            weight="bold" if shape.bold else "normal",
        )  # fmt: skip
    else:
        _measure(axes, shape)


def _measure(axes: Axes, shape: Measure) -> None:
    arrow = {"arrowstyle": "|-|, widthA=0.2, widthB=0.2", "linewidth": 0.6, "color": COLOURS["rain"], "shrinkA": 0,
             "shrinkB": 0}  # fmt: skip
    axes.annotate("", shape.start, shape.end, arrowprops=arrow)
    level = abs(shape.start[1] - shape.end[1]) < abs(shape.start[0] - shape.end[0])
    middle = (shape.start[0] + shape.end[0]) / 2, (shape.start[1] + shape.end[1]) / 2
    axes.annotate(
        shape.text, middle, xytext=(0, 3) if level else (5, 0), textcoords="offset points",
        ha="center" if level else "left", va="bottom" if level else "center", fontsize=7, color=COLOURS["rain"],
    )  # fmt: skip


def _as_dxf(drawing: Drawing) -> bytes:
    """The drawing in metres, each role on a layer of its own, words and dimensions on theirs."""
    from ezdxf.filemanagement import new

    made = new("R2010", setup=True)
    made.units = 6
    letter = LETTER * scale_of(drawing) / 1000
    for role, index in INDICES.items():
        made.layers.add(role, color=index)
    made.layers.add("words", color=7)
    made.layers.add("dimensions", color=8)
    space = made.modelspace()
    for shape in drawing.shapes:
        _add(space, shape, letter)
    left, low = drawing.bounds[0], drawing.bounds[1]
    for number, words in enumerate((drawing.title, drawing.told)):
        at = left, low - (2 + 1.6 * number) * letter
        space.add_text(words, height=letter, dxfattribs={"layer": "words"}).set_placement(at)
    held = io.StringIO()
    made.write(held)
    return held.getvalue().encode("utf-8")


def _add(space: Modelspace, shape: Shape, letter: float) -> None:
    from ezdxf.enums import TextEntityAlignment

    if isinstance(shape, Outline):
        if shape.width:
            space.add_lwpolyline(shape.places, close=shape.closed, dxfattribs={"layer": shape.role})
    elif isinstance(shape, Circle):
        space.add_circle(shape.centre, shape.radius, dxfattribs={"layer": shape.role})
    elif isinstance(shape, Note):
        places = {
            ("right", False): TextEntityAlignment.MIDDLE_LEFT, ("left", False): TextEntityAlignment.MIDDLE_RIGHT,
            ("middle", False): TextEntityAlignment.MIDDLE_CENTER, ("right", True): TextEntityAlignment.BOTTOM_LEFT,
            ("left", True): TextEntityAlignment.BOTTOM_RIGHT, ("middle", True): TextEntityAlignment.BOTTOM_CENTER,
        }  # fmt: skip
        words = space.add_text(shape.text, height=letter, dxfattribs={"layer": "words"})
        words.set_placement(shape.at, align=places[shape.side, shape.above])
    else:
        angle = math.degrees(math.atan2(shape.end[1] - shape.start[1], shape.end[0] - shape.start[0]))
        dimension = space.add_linear_dim(
            base=shape.start, p1=shape.start, p2=shape.end, angle=angle, text=shape.text,
            override={"dimtxt": letter, "dimasz": 0.6 * letter, "dimexe": 0.5 * letter, "dimexo": 0.0},
            dxfattribs={"layer": "dimensions"},
        )  # fmt: skip
        dimension.render()
