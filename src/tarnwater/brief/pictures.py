"""Pictures of a study and its results for pages and folders."""

from __future__ import annotations

import io
from pathlib import Path
from typing import TYPE_CHECKING, Any

import numpy as np

from tarnwater import units
from tarnwater.brief import colours
from tarnwater.brief.plots import DOTS_PER_INCH, save_plot
from tarnwater.errors import BadInput, UnknownName
from tarnwater.network.elements import Catchment
from tarnwater.study.answers import Results
from tarnwater.study.document import Study
from tarnwater.study.document.blobs import Blobs
from tarnwater.study.file.writing import make_folder, write_whole
from tarnwater.study.pictures.hydrographs import flow_plot, governing_plot
from tarnwater.study.pictures.labels import label_words, without_overlap
from tarnwater.study.pictures.land import Theme, land_picture
from tarnwater.terrain.drainage import Drainage
from tarnwater.terrain.shade import hillshade
from tarnwater.terrain.streams import stream_lines

if TYPE_CHECKING:
    from matplotlib.axes import Axes
    from matplotlib.figure import Figure
    from matplotlib.patches import Patch


def write_pictures(results: Results, blobs: Blobs, drainage: Drainage | None, folder: Path) -> list[Path]:
    """Write a map (where there is a terrain) and the governing hydrographs of each design point."""
    make_folder(folder)
    written = []
    if drainage is not None:
        written.append(folder / "map.png")
        drawn_map(results.study, blobs, drainage).savefig(written[-1], dpi=DOTS_PER_INCH)
    for point in dict.fromkeys(a.result.case.point for a in results.answers()):
        name = results.study.name_of(point).lower().replace(" ", "-")
        path = folder / f"hydrographs-{name}.png"
        save_plot(governing_plot(results, point), path)
        written.append(path)
        given = [a for a in results.answers() if a.result.case.point == point and isinstance(a.result.case.event, str)]
        for storm in dict.fromkeys(a.result.case.event for a in given):
            cases = [a.result for a in given if a.result.case.event == storm]
            path = folder / f"hydrographs-{name}-{storm}.png"
            save_plot(flow_plot(results, cases, point, rained=True), path)
            written.append(path)
    return written


#: Sizes of paper upright, in inches.
PAPERS = {"A4": (8.27, 11.69), "A3": (11.69, 16.54), "A2": (16.54, 23.39), "A1": (23.39, 33.11), "A0": (33.11, 46.81)}

#: Ends of the names of pictures.
PICTURE_ENDS = (".png", ".svg", ".pdf")

#: Round scales, as 1 to below 10.
SCALES = (1, 1.25, 1.5, 2, 2.5, 3, 4, 5, 6, 7.5, 8)

#: Margin of a printed map, in inches, and the room under it for scale and legend.
MAP_MARGIN, MAP_FOOT = 0.6, 0.9

INCH = 0.0254

#: Dots of a printed map on an inch.
PRINTED_DOTS = 300


def write_map(
    path: Path,
    study: Study,
    blobs: Blobs,
    drainage: Drainage,
    *,
    paper: str = "A4",
    landscape: bool = False,
    scale: float | None = None,
    land: Theme | None = None,
    hatched: bool = True,
) -> None:
    """Write the map at print size as PNG, SVG or PDF, by the end of the file's name; the file is whole at any time.

    ``land`` shows cover or soils with a legend, ``hatched`` or in colours alone. ``scale`` is the number n of a scale
    of 1 : n, by default the largest round one that shows the terrain. Raises `UnknownName` for another end or paper,
    and `BadInput` for a scale that is no positive number.
    """
    end = path.suffix.lower()
    if end not in PICTURE_ENDS:
        raise UnknownName(end or path.name, PICTURE_ENDS, kind="end of a picture's name")
    if paper not in PAPERS:
        raise UnknownName(paper, PAPERS, kind="size of paper")
    if scale is not None and not (np.isfinite(scale) and scale > 0):
        raise BadInput("the scale must be a positive number.", where="scale", remedy="Give n of 1 : n, as 25000.")
    wide, high = PAPERS[paper][::-1] if landscape else PAPERS[paper]
    sheet = _printed_map(study, blobs, drainage, wide, high, scale, land, hatched=hatched)
    stream = io.BytesIO()
    # no date, so that the same map is the same file
    dated = {"pdf": "CreationDate", "svg": "Date"}.get(end.removeprefix("."))
    sheet.savefig(stream, format=end.removeprefix("."), dpi=PRINTED_DOTS, metadata={dated: None} if dated else None)
    write_whole(path, stream.getvalue())


def _printed_map(
    study: Study,
    blobs: Blobs,
    drainage: Drainage,
    wide: float,
    high: float,
    scale: float | None,
    land: Theme | None = None,
    *,
    hatched: bool = True,
) -> Figure:
    from matplotlib.figure import Figure

    grid = drainage.grid
    rows, columns = grid.shape
    across, up = wide - 2 * MAP_MARGIN, high - 2 * MAP_MARGIN - MAP_FOOT - 0.4
    least = max(columns * grid.dx / (across * INCH), rows * grid.dy / (up * INCH))
    number = units.round_up(least, SCALES) if scale is None else scale
    # half the width and height of the ground that the paper shows, in the units of the map
    half_x, half_y = across * INCH * number / 2 / grid.metres, up * INCH * number / 2 / grid.metres
    x, y = grid.west + columns * grid.width / 2, grid.north - rows * grid.height / 2
    sheet = Figure(figsize=(wide, high), facecolor="white")
    axes = sheet.add_axes((MAP_MARGIN / wide, (MAP_MARGIN + MAP_FOOT) / high, across / wide, up / high))
    _draw_map(axes, study, blobs, drainage)
    axes.set_xlim(x - half_x, x + half_x)
    axes.set_ylim(y - half_y, y + half_y)
    if land is not None:
        _draw_land(axes, study, blobs, land, hatched=hatched)
    _draw_labels(axes, study, 2 * half_x / across)
    heads = [part for part in (study.title, study.number, study.author) if part]
    sheet.text(MAP_MARGIN / wide, 1 - MAP_MARGIN / high, " · ".join(heads), fontsize=11, fontweight="bold", va="top")
    _draw_north(axes)
    _draw_foot(sheet, study, wide, high, number, grid.crs)
    return sheet


def _draw_north(axes: Axes) -> None:
    """An arrow to the north of the map."""
    axes.annotate(
        "N", (0.965, 0.985), (0.965, 0.93), xycoords="axes fraction", textcoords="axes fraction", ha="center",
        va="top", fontsize=9, fontweight="bold", color=colours.INK, annotation_clip=False,
        arrowprops={"arrowstyle": "-|>", "color": colours.INK, "linewidth": 1.4},
    )  # fmt: skip


def _draw_foot(sheet: Figure, study: Study, wide: float, high: float, scale: float, crs: str) -> None:
    """The scale as a number and a bar of true length, the system, and the legend."""
    foot = sheet.add_axes((MAP_MARGIN / wide, MAP_MARGIN / high, 1 - 2 * MAP_MARGIN / wide, (MAP_FOOT - 0.25) / high))
    foot.set_axis_off()
    across = wide - 2 * MAP_MARGIN
    foot.set_xlim(0, across)
    foot.set_ylim(0, 1)
    system = study.units
    metres = 2.5 * INCH * scale
    unit = units.display_unit("length", metres, system)
    factor = units.factor_of(unit, "length")
    power = 10.0 ** np.floor(np.log10(metres / factor))
    length = max(step for step in (power, 2 * power, 5 * power) if step <= metres / factor)
    inches = length * factor / scale / INCH
    for part, colour in enumerate((colours.INK, colours.PAPER)):
        foot.add_patch(_bar(inches / 2 * part, inches / 2, colour))
    for share in (0, 0.5, 1):
        text = f"{share * length:g}" + (f" {unit}" if share == 1 else "")
        foot.text(inches * share, 0.42, text, fontsize=7, ha="center", color=colours.INK)
    foot.text(0, 0.0, f"1 : {scale:,.0f}".replace(",", " ") + f" · {crs[:60]}", fontsize=7.5, color=colours.INK)
    _draw_legend(foot, inches + 0.6, across)


def _bar(left: float, width: float, colour: str) -> Patch:
    from matplotlib.patches import Rectangle

    return Rectangle((left, 0.7), width, 0.12, facecolor=colour, edgecolor=colours.INK, linewidth=0.8)


def _draw_legend(foot: Axes, left: float, right: float) -> None:
    none = "none"
    signs: tuple[tuple[str, dict[str, Any]], ...] = (
        ("catchment", {"color": colours.INK, "linewidth": 1.1}),
        ("stream", {"color": colours.WATER, "linewidth": 1.4}),
        ("ground feature", {"color": colours.OBSERVED, "linewidth": 1.6, "linestyle": "--"}),
        ("filled depression", {"color": colours.LIMIT, "marker": "v", "linestyle": none}),
        ("design point", {"color": colours.INK, "marker": "o", "markerfacecolor": colours.PAPER, "linestyle": none}),
    )
    room = max((right - left) / 3, 1.2)
    for number, (words, style) in enumerate(signs):
        x, y = left + room * (number % 3), 0.75 - 0.5 * (number // 3)
        ends = ([x + 0.12], [y]) if style.get("linestyle") == none else ([x, x + 0.25], [y, y])
        foot.plot(*ends, clip_on=False, **style)
        foot.text(x + 0.33, y, words, fontsize=7.5, va="center", color=colours.INK)


def drawn_map(study: Study, blobs: Blobs, drainage: Drainage) -> Figure:
    """A map of the terrain with relief shading, streams, catchments, features, depressions and outlets."""
    from matplotlib.figure import Figure

    sheet = Figure(figsize=(8.2, 8.8), facecolor=colours.PAPER, layout="constrained")
    axes = sheet.add_subplot()
    _draw_map(axes, study, blobs, drainage)
    _draw_labels(axes, study, drainage.grid.shape[1] * drainage.grid.width / 6.5)
    axes.set_title(study.title, loc="left", color=colours.INK, fontweight="bold")
    return sheet


def _draw_map(axes: Axes, study: Study, blobs: Blobs, drainage: Drainage) -> None:
    from shapely import from_wkb

    grid = drainage.grid
    rows, columns = grid.shape
    extent = (grid.west, grid.west + columns * grid.width, grid.north - rows * grid.height, grid.north)
    axes.set_facecolor(colours.PAPER)
    light = hillshade(grid.heights, grid.dx, grid.dy)
    shown = np.ma.masked_equal(light, 0)
    axes.imshow(shown, extent=extent, cmap="gray", vmin=-60, vmax=270, alpha=0.9, interpolation="bilinear")
    threshold = study.terrain.stream_threshold if study.terrain else 0.0
    for stream in stream_lines(drainage, threshold):
        axes.plot(*stream.line.T, color=colours.WATER, linewidth=0.5 + 0.45 * stream.order, solid_capstyle="round")
    for element in study.elements.values():
        held = blobs.held(element.outline) if isinstance(element, Catchment) else None
        if isinstance(element, Catchment) and held is not None and element.place is not None:
            for part in from_wkb(held).geoms:
                axes.plot(*part.exterior.xy, color=colours.INK, linewidth=1.1)
    _draw_features(axes, study, blobs)
    for found in study.terrain.depressions if study.terrain else ():
        axes.plot(*found.place, marker="v", color=colours.LIMIT, markersize=7, linestyle="none")
        _label(axes, f"filled {units.show(found.depth, 'length', study.units, digits=2)} deep", found.place, "left")
    for key in study.design_points:
        element = study.all_elements[key]
        if element.place is not None:
            axes.plot(
                *element.place, marker="o", markerfacecolor=colours.PAPER, markeredgecolor=colours.INK, markersize=7
            )
            _label(axes, element.name, element.place, "left", weight="bold")
    axes.set_aspect("equal")
    axes.set_xlim(extent[:2])
    axes.set_ylim(extent[2:])
    axes.ticklabel_format(style="plain", useOffset=False)
    axes.tick_params(labelsize=7, colors=colours.RAIN)


#: Patterns for the hatches of print.
HATCHES: dict[str, str] = {
    "plain": "", "dots": "..", "level": "--", "upright": "||", "slanting": "//", "counter-slanting": "\\\\",
    "crossed": "++", "net": "xx",
}  # fmt: skip


def _draw_land(axes: Axes, study: Study, blobs: Blobs, theme: Theme, *, hatched: bool) -> None:
    """Cover or soils over the relief, in the order of the maps, and their legend in a corner."""
    from matplotlib.collections import PatchCollection
    from matplotlib.patches import Patch, PathPatch
    from matplotlib.path import Path as Outline

    picture = land_picture(study, blobs, next(iter(study.conditions)), theme)
    patches: list[list[PathPatch]] = [[] for _ in picture.signs]
    for shape, number in zip(picture.shapes, picture.sign.tolist(), strict=True):
        rings = [np.asarray(ring.coords)[:, :2] for ring in (shape.exterior, *shape.interiors)]
        outline = Outline.make_compound_path(*(Outline(ring, closed=True) for ring in rings))
        patches[number].append(PathPatch(outline))
    handles = []
    for sign, own in zip(picture.signs, patches, strict=True):
        style: dict[str, Any] = {"facecolor": sign.colour, "edgecolor": "#00000055", "linewidth": 0.2}
        hatch = HATCHES[sign.hatch] if hatched else ""
        land = PatchCollection(own, alpha=0.72, hatch=hatch or None, zorder=1.5, **style)
        land.set_hatch_linewidth(0.4)
        axes.add_collection(land)
        handles.append(Patch(label=sign.words, hatch=hatch, **style))
    if handles:
        legend = axes.legend(handles=handles, loc="lower left", fontsize=6.5, framealpha=0.92, handlelength=2.2)
        legend.set_zorder(20)


#: Width of a letter and height of a line of a label of the map, as shares of the size of its font.
LETTER, LINE = 0.58, 1.3
LABEL_POINTS = 7.5


def _draw_labels(axes: Axes, study: Study, inch: float) -> None:
    """Labels of the catchments without overlap; those that were moved stand there. ``inch`` is one on the map."""
    known = {k: e for k, e in study.catchments.items() if e.place is not None and e.outline is not None}
    if not known:
        return
    point = inch / 72
    words = [label_words(study, one) for one in known.values()]
    lines = [text.split("\n") for text in words]
    sizes = np.array([
        (LETTER * max(map(len, own)) * LABEL_POINTS * point, LINE * len(own) * LABEL_POINTS * point) for own in lines
    ])  # fmt: skip
    moved = study.map_labels.moved
    places = np.array([moved.get(key) or one.place for key, one in known.items()], float)
    middles = without_overlap(places, sizes, [key in moved for key in known])
    for text, middle, (key, one) in zip(words, middles, known.items(), strict=True):
        if middle is None or one.place is None:
            continue
        if key in moved:
            axes.plot(*zip(middle, one.place, strict=True), color=colours.QUIET, linewidth=0.6, zorder=4)
        _label(axes, text, middle, "center")


def _draw_features(axes: Axes, study: Study, blobs: Blobs) -> None:
    """Features of the ground as broken lines, kept depressions as rings."""
    for feature in study.ground_features.values():
        shape = blobs.shape(feature.line)
        if shape is None:
            continue
        x, y = shape.xy
        ring: dict[str, Any] = {"marker": "o", "markerfacecolor": "none", "markersize": 8, "linestyle": "none"}
        line: dict[str, Any] = {"linestyle": "--", "linewidth": 1.6}
        axes.plot(x, y, color=colours.OBSERVED, **(ring if feature.drawn_as == "place" else line))


def _label(axes: Axes, text: str, place: tuple[float, float], side: str, weight: str = "normal") -> None:
    offset = (0, 0) if side == "center" else (8, 0)
    axes.annotate(
        text,
        place,
        xytext=offset,
        textcoords="offset points",
        ha=side,
        va="center",
        fontsize=7.5,
        color=colours.INK,
        fontweight=weight,
        bbox={"facecolor": colours.PAPER, "edgecolor": "none", "alpha": 0.75, "pad": 1.5},
    )
