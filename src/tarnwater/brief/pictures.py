"""Pictures of a study and its results for pages and folders."""

from __future__ import annotations

from pathlib import Path
from typing import Any

import numpy as np

from tarnwater import units
from tarnwater.brief import colours
from tarnwater.network.elements import Catchment
from tarnwater.study.blobs import Blobs
from tarnwater.study.cases import CaseResult, Results
from tarnwater.study.document import Study
from tarnwater.terrain.drainage import Drainage
from tarnwater.terrain.streams import stream_lines

DOTS_PER_INCH = 110


def write_pictures(results: Results, blobs: Blobs, drainage: Drainage | None, folder: Path) -> list[Path]:
    """Write a map (where there is a terrain) and the governing hydrographs of each design point."""
    folder.mkdir(parents=True, exist_ok=True)
    written = []
    if drainage is not None:
        written.append(_saved(map_figure(results.study, blobs, drainage), folder / "map.png"))
    for point in dict.fromkeys(a.result.case.point for a in results.answers()):
        name = results.study.name_of(point).lower().replace(" ", "-")
        written.append(_saved(hydrograph_figure(results, point), folder / f"hydrographs-{name}.png"))
    return written


def _saved(figure: Any, path: Path) -> Path:
    figure.savefig(path, dpi=DOTS_PER_INCH)
    return path


def _figure(width: float, height: float) -> Any:
    from matplotlib.figure import Figure

    return Figure(figsize=(width, height), facecolor=colours.PAPER, layout="constrained")


def hillshade(heights: np.ndarray, dx: float, dy: float, azimuth: float = 315.0, altitude: float = 42.0) -> np.ndarray:
    """Light (0 to 1) on a terrain (rows, columns) in m from a low sun; NaN off the ground."""
    north, east = np.gradient(heights.astype(float), -dy, dx)
    steep = np.arctan(1.6 * np.hypot(east, north))
    facing = np.arctan2(-east, -north)
    sun, up = np.radians(azimuth), np.radians(altitude)
    light = np.sin(up) * np.cos(steep) + np.cos(up) * np.sin(steep) * np.cos(sun - facing)
    return np.clip(light, 0, 1)


def map_figure(study: Study, blobs: Blobs, drainage: Drainage) -> Any:
    """The terrain in light and shade with streams, catchments, doubtful depressions and outlets."""
    from shapely import from_wkb

    grid = drainage.grid
    rows, columns = grid.shape
    extent = (grid.west, grid.west + columns * grid.width, grid.north - rows * grid.height, grid.north)
    figure = _figure(8.2, 8.8)
    axes = figure.add_subplot()
    axes.set_facecolor(colours.PAPER)
    light = hillshade(grid.heights, grid.dx, grid.dy)
    axes.imshow(light, extent=extent, cmap="gray", vmin=-0.25, vmax=1.05, alpha=0.9, interpolation="bilinear")
    threshold = study.terrain.stream_threshold if study.terrain else 0.0
    for stream in stream_lines(drainage, threshold):
        axes.plot(*stream.line.T, color=colours.WATER, linewidth=0.5 + 0.45 * stream.order, solid_capstyle="round")
    for element in study.elements.values():
        if isinstance(element, Catchment) and element.outline is not None and element.place is not None:
            for part in from_wkb(blobs[element.outline].data).geoms:
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
    return figure


def _label(axes: Any, text: str, place: tuple[float, float], side: str, weight: str = "normal") -> None:
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


def hydrograph_figure(results: Results, point: str) -> Any:
    """The governing hydrographs of a design point: a colour and line style a condition, rain from the top."""
    study, system = results.study, results.study.units
    answers = [a for a in results.answers() if a.result.case.point == point]
    figure = _figure(8.2, 4.8)
    axes = figure.add_subplot()
    axes.set_facecolor(colours.PAPER)
    unit = units.display_unit("flow", [a.figures.peak.ordinate for a in answers], system)
    conditions = list(dict.fromkeys(a.result.case.condition for a in answers))
    for answer in answers:
        number = conditions.index(answer.result.case.condition) % len(colours.LINE_STYLES)
        colour, style = colours.CONDITION_COLOURS[number], colours.LINE_STYLES[number]
        hours, flow = _curve(answer.result, point, unit)
        axes.plot(hours, flow, color=colour, linestyle=style, linewidth=1.4)
        peak = answer.figures.peak
        text = f"1 in {answer.result.case.storm.return_period:g}: {units.show(peak.ordinate, 'flow', unit=unit)}"
        if number == 0:
            at = (peak.time / 3600, units.to_unit(peak.ordinate, unit, "flow"))
            axes.annotate(
                text,
                at,
                xytext=(60, 0),
                textcoords="offset points",
                fontsize=7.5,
                color=colours.INK,
                arrowprops={"arrowstyle": "-", "color": colours.RAIN, "linewidth": 0.5},
                va="center",
                bbox={"facecolor": colours.PAPER, "edgecolor": "none", "pad": 1},
            )
        if answer.limit is not None:
            axes.axhline(
                units.to_unit(answer.limit, unit, "flow"), color=colours.LIMIT, linewidth=0.9, linestyle=(0, (1, 2))
            )
    for number, condition in enumerate(conditions):
        style = colours.LINE_STYLES[number % len(colours.LINE_STYLES)]
        colour = colours.CONDITION_COLOURS[number % len(colours.CONDITION_COLOURS)]
        axes.plot([], [], color=colour, linestyle=style, label=study.conditions[condition].name)
    _rain_from_top(axes, answers[-1].result, system)
    axes.set_xlim(0, max(_active_until(a.result, point) for a in answers))
    axes.set_ylim(0, 1.32 * max(units.to_unit(a.figures.peak.ordinate, unit, "flow") for a in answers))
    if any(a.limit is not None for a in answers):
        axes.plot([], [], color=colours.LIMIT, linestyle=(0, (1, 2)), label="limit")
    axes.legend(frameon=False, fontsize=8, loc="center left")
    axes.set_xlabel("h from the start of the rain", fontsize=8)
    axes.set_ylabel(f"flow, {unit}", fontsize=8)
    storms = " · ".join(dict.fromkeys(units.show_duration(a.result.case.storm.duration) for a in answers))
    axes.set_title(f"{study.name_of(point)}: governing storms ({storms})", loc="left", color=colours.INK, fontsize=10)
    axes.tick_params(labelsize=7.5, colors=colours.RAIN)
    for side in ("top", "right"):
        axes.spines[side].set_visible(False)
    return figure


def _curve(result: CaseResult, point: str, unit: str) -> tuple[np.ndarray, np.ndarray]:
    flow = result.flow(point)
    return np.arange(len(flow)) * result.step / 3600, flow / units.factor_of(unit, "flow")


def _active_until(result: CaseResult, point: str) -> float:
    flow = result.flow(point)
    active = np.flatnonzero(flow - flow[-1] > 0.1 * (flow.max() - flow[-1]))
    return float((active[-1] if len(active) else len(flow)) * result.step / 3600)


def _rain_from_top(axes: Any, result: CaseResult, system: units.System) -> None:
    above = axes.twinx()
    unit = units.display_unit("rain", float(result.rain.max()), system)
    hours = (np.arange(len(result.rain)) + 0.5) * result.step / 3600
    depths = result.rain / units.factor_of(unit, "rain")
    above.bar(hours, depths, width=result.step / 3600, color=colours.RAIN, alpha=0.45)
    above.set_ylim(4.5 * depths.max(), 0)
    above.set_yticks([0, float(f"{depths.max():.1g}")])
    above.set_ylabel(f"rain in {units.show_duration(result.step)}, {unit} ({result.case.storm.title})", fontsize=7.5)
    above.tick_params(labelsize=7, colors=colours.RAIN)
    above.spines["top"].set_visible(False)
