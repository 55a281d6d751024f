"""Pictures of a study and its results for pages and folders."""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING

import numpy as np

from tarnwater import units
from tarnwater.brief import colours
from tarnwater.brief.plots import DOTS_PER_INCH, save_plot
from tarnwater.network.elements import Catchment
from tarnwater.study.answers import Results
from tarnwater.study.document import Study
from tarnwater.study.document.blobs import Blobs
from tarnwater.study.file.writing import make_folder
from tarnwater.study.pictures.hydrographs import flow_plot, governing_plot
from tarnwater.terrain.drainage import Drainage
from tarnwater.terrain.shade import hillshade
from tarnwater.terrain.streams import stream_lines

if TYPE_CHECKING:
    from matplotlib.axes import Axes
    from matplotlib.figure import Figure


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


def drawn_map(study: Study, blobs: Blobs, drainage: Drainage) -> Figure:
    """A map of the terrain with relief shading, streams, catchments, doubtful depressions and outlets."""
    from matplotlib.figure import Figure
    from shapely import from_wkb

    grid = drainage.grid
    rows, columns = grid.shape
    extent = (grid.west, grid.west + columns * grid.width, grid.north - rows * grid.height, grid.north)
    sheet = Figure(figsize=(8.2, 8.8), facecolor=colours.PAPER, layout="constrained")
    axes = sheet.add_subplot()
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
            label = f"{element.name}\n{units.show(element.area.value, 'area', study.units)}"
            _label(axes, label, element.place, "center")
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
    axes.set_title(study.title, loc="left", color=colours.INK, fontweight="bold")
    axes.ticklabel_format(style="plain", useOffset=False)
    axes.tick_params(labelsize=7, colors=colours.RAIN)
    return sheet


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
