"""Elevation grids in tiles, joined into one."""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path
from typing import Any

import numpy as np

from tarnwater.errors import GridError, NoGround
from tarnwater.formats.raster import MOST_CELLS, ElevationImport, UndeclaredFill, read_elevation
from tarnwater.progress import Progress
from tarnwater.terrain.grid import Grid

#: Share of a cell by which tiles may lie beside the common raster.
OFF_THE_RASTER = 0.01


def read_tiles(paths: Sequence[Path], *, progress: Progress | None = None, **options: Any) -> ElevationImport:
    """Read grids that lie side by side and join them; ``options`` are those of `read_elevation`.

    Where tiles overlap, the first one with data counts, and the greatest difference is told. Raises `GridError`, with
    the tile, for another coordinate system, cell size or raster, for more cells than are read, and where no tile
    has data.
    """
    progress = progress or Progress()
    if len(paths) == 1:
        return read_elevation(paths[0], progress=progress, **options)
    tiles: list[tuple[Path, ElevationImport]] = []
    notes: list[str] = []
    for number, path in enumerate(paths):
        progress.tell(f"reading {path.name}", 0.8 * number / len(paths))
        try:
            tiles.append((path, read_elevation(path, **options)))
        except NoGround:
            notes.append(f"{path.name} has no data and was left out")
    if not tiles:
        raise GridError("no tile has data.", where=str(paths[0]), remedy="Check the no-data value.")
    for path, tile in tiles[1:]:
        _ask_for_one_raster(tiles[0], path, tile.grid)
    grid, told = _joined([(path, tile.grid) for path, tile in tiles], progress)
    for path, tile in tiles:
        notes += [f"{path.name}: {note}" for note in tile.notes if note not in tiles[0][1].notes]
    return ElevationImport(grid, (*tiles[0][1].notes, *told, *notes), _fills(tiles))


def _ask_for_one_raster(first: tuple[Path, ElevationImport], path: Path, grid: Grid) -> None:
    """Raise `GridError` if a tile does not lie on the raster of the first one."""
    base = first[1].grid
    if grid.crs != base.crs:
        what = f"the tile is in another coordinate system than {first[0].name}."
        raise GridError(what, where=str(path), remedy="Give tiles of one system, or reproject each.")
    sizes = (grid.width / base.width, grid.height / base.height)
    across, down = (grid.west - base.west) / base.width, (base.north - grid.north) / base.height
    # a difference of cell size adds up over the width of a tile
    drift = max(abs(sizes[0] - 1) * grid.shape[1], abs(sizes[1] - 1) * grid.shape[0])
    if drift > OFF_THE_RASTER:
        own, other = f"{grid.dx:.6g} × {grid.dy:.6g} m", f"{base.dx:.6g} × {base.dy:.6g} m"
        what = f"the tile has cells of {own}, {first[0].name} of {other}."
        raise GridError(what, where=str(path), remedy="Resample the tiles to one cell size.")
    if max(abs(across - round(across)), abs(down - round(down))) > OFF_THE_RASTER:
        what = f"the cells of the tile do not lie on the raster of {first[0].name}."
        raise GridError(what, where=str(path), remedy="Resample the tiles to one raster.")


def _joined(tiles: Sequence[tuple[Path, Grid]], progress: Progress) -> tuple[Grid, list[str]]:
    base = tiles[0][1]
    places = [
        (round((base.north - grid.north) / base.height), round((grid.west - base.west) / base.width))
        for _, grid in tiles
    ]
    top, left = min(row for row, _ in places), min(column for _, column in places)
    rows = max(row + grid.shape[0] for (row, _), (_, grid) in zip(places, tiles, strict=True)) - top
    columns = max(column + grid.shape[1] for (_, column), (_, grid) in zip(places, tiles, strict=True)) - left
    if rows * columns > MOST_CELLS:
        raise GridError(
            f"the tiles together cover {rows} × {columns} cells; at most {MOST_CELLS} are read.",
            where=str(tiles[0][0]),
            remedy="Leave tiles out, or cut out the part that is needed.",
        )
    heights = np.full((rows, columns), np.nan, np.result_type(*(grid.heights.dtype for _, grid in tiles)))
    told = [f"{len(tiles)} tiles were joined into {rows} × {columns} cells"]
    for (row, column), (path, grid) in zip(places, tiles, strict=True):
        progress.tell(f"joining {path.name}", 0.9)
        down, across = row - top, column - left
        part = heights[down : down + grid.shape[0], across : across + grid.shape[1]]
        both = np.isfinite(part) & np.isfinite(grid.heights)
        if both.any():
            apart = float(np.abs(part[both] - grid.heights[both]).max())
            told.append(f"{path.name} overlaps others in {int(both.sum())} cells, {apart:.3g} m apart at most")
        np.copyto(part, grid.heights, where=np.isnan(part))
    west, north = base.west + left * base.width, base.north - top * base.height
    return Grid(heights, west, north, base.width, base.height, base.crs, base.metres), told


def _fills(tiles: Sequence[tuple[Path, ElevationImport]]) -> tuple[UndeclaredFill, ...]:
    """Doubtful fills of all tiles, each value once."""
    found: dict[float, UndeclaredFill] = {}
    for fill in (fill for _, tile in tiles for fill in tile.fills):
        seen = found.get(fill.value)
        cells = fill.cells + (seen.cells if seen else 0)
        found[fill.value] = UndeclaredFill(fill.value, cells, fill.at_edge or bool(seen and seen.at_edge))
    return tuple(found.values())
