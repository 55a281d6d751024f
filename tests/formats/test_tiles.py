"""Tiles joined into one grid, and a part cut out of one."""

import numpy as np
import pytest

from tarnwater.errors import GridError, NoGround
from tarnwater.formats.raster import grid_to_bytes, read_elevation
from tarnwater.formats.tiles import read_tiles
from tarnwater.terrain.grid import Grid
from tarnwater.terrain.relief import relief_of

WHOLE = np.random.default_rng(5).uniform(90, 200, (12, 20)).astype(np.float32)
WEST, NORTH, CELL = 340_000.0, 560_000.0, 10.0


def tile(tmp_path, rows, columns, *, name="", heights=WHOLE, dx=0.0, cell=CELL, crs="EPSG:27700"):
    west, north = WEST + columns.start * CELL + dx, NORTH - rows.start * CELL
    path = tmp_path / (name or f"t{rows.start}-{columns.start}.tif")
    path.write_bytes(grid_to_bytes(Grid(np.ascontiguousarray(heights[rows, columns]), west, north, cell, cell, crs)))
    return path


def quarters(tmp_path):
    return [
        tile(tmp_path, rows, columns) for rows in (slice(0, 5), slice(5, 12)) for columns in (slice(0, 8), slice(8, 20))
    ]


@pytest.mark.parametrize("order", [(0, 1, 2, 3), (3, 2, 1, 0), (2, 0, 3, 1)])
def test_tiles_in_any_order_make_the_whole_grid(tmp_path, order):
    paths = quarters(tmp_path)
    read = read_tiles([paths[i] for i in order])
    assert np.array_equal(read.grid.heights, WHOLE)
    assert (read.grid.west, read.grid.north) == (WEST, NORTH)
    assert "4 tiles were joined into 12 × 20 cells" in read.notes


def test_a_gap_between_tiles_is_no_data(tmp_path):
    paths = quarters(tmp_path)
    grid = read_tiles([paths[0], paths[3]]).grid
    assert np.array_equal(grid.heights[:5, :8], WHOLE[:5, :8])
    assert np.isnan(grid.heights[:5, 8:]).all()
    assert np.isnan(grid.heights[5:, :8]).all()


def test_where_tiles_overlap_the_first_counts_and_the_difference_is_said(tmp_path):
    one = tile(tmp_path, slice(0, 12), slice(0, 10), name="one.tif")
    other = tile(tmp_path, slice(0, 12), slice(8, 20), name="other.tif", heights=WHOLE + np.float32(0.5))
    read = read_tiles([one, other])
    assert np.array_equal(read.grid.heights[:, :10], WHOLE[:, :10])
    assert np.array_equal(read.grid.heights[:, 10:], WHOLE[:, 10:] + np.float32(0.5))
    assert "other.tif overlaps others in 24 cells, 0.5 m apart at most" in read.notes


def test_a_hole_of_the_first_tile_is_filled_from_the_next(tmp_path):
    holed = WHOLE.copy()
    holed[2, 9] = np.nan
    one = tile(tmp_path, slice(0, 12), slice(0, 12), name="one.tif", heights=holed)
    other = tile(tmp_path, slice(0, 12), slice(8, 20), name="other.tif")
    assert np.array_equal(read_tiles([one, other]).grid.heights, WHOLE)


def test_a_tile_without_data_is_left_out_and_said(tmp_path):
    paths = quarters(tmp_path)
    with_data = paths[1].read_bytes()
    import rasterio

    with rasterio.open(paths[1], "r+") as file:
        file.write(np.full((1, *file.shape), np.nan, np.float32))
    with pytest.raises(NoGround):
        read_elevation(paths[1])
    assert "t0-8.tif has no data and was left out" in read_tiles(paths).notes
    assert paths[1].read_bytes() != with_data


@pytest.mark.parametrize(
    ("odd", "said"),
    [
        ({"dx": 3.0}, "do not lie on the raster of t0-0.tif"),
        ({"cell": 11.0}, "cells of 11 × 11 m, t0-0.tif of 10 × 10 m"),
        ({"crs": "EPSG:32630"}, "another coordinate system than t0-0.tif"),
    ],
    ids=["off the raster", "another cell size", "mixed CRS"],
)
def test_tiles_that_do_not_fit_are_refused_with_the_tile(tmp_path, odd, said):
    first = tile(tmp_path, slice(0, 12), slice(0, 8))
    other = tile(tmp_path, slice(0, 12), slice(8, 20), **odd)
    with pytest.raises(GridError, match=said) as caught:
        read_tiles([first, other])
    assert caught.value.where == str(other)


def test_tiles_far_apart_are_refused_before_memory_is_taken(tmp_path):
    first = tile(tmp_path, slice(0, 12), slice(0, 8))
    far = tile(tmp_path, slice(0, 12), slice(8, 20), dx=CELL * 50_000_000)
    with pytest.raises(GridError, match="at most 150000000"):
        read_tiles([first, far])


def test_a_part_is_cut_out_in_whole_cells(tmp_path):
    path = tile(tmp_path, slice(0, 12), slice(0, 20))
    bounds = (WEST + 3.5 * CELL, NORTH - 9 * CELL, WEST + 11 * CELL, NORTH - 1.2 * CELL)
    read = read_elevation(path, within=bounds)
    assert np.array_equal(read.grid.heights, WHOLE[1:9, 3:11])
    assert (read.grid.west, read.grid.north) == (WEST + 3 * CELL, NORTH - CELL)
    assert "8 × 8 cells of 12 × 20 were cut out" in read.notes


def test_a_part_is_cut_out_of_an_ascii_grid(tmp_path):
    rows = "\n".join(" ".join(f"{z:.6f}" for z in row) for row in WHOLE)
    head = f"ncols 20\nnrows 12\nxllcorner {WEST}\nyllcorner {NORTH - 12 * CELL}\ncellsize {CELL}\n"
    path = tmp_path / "whole.asc"
    path.write_text(head + rows)
    read = read_elevation(path, crs="EPSG:27700", within=(WEST, NORTH - 4 * CELL, WEST + 5 * CELL, NORTH))
    assert np.allclose(read.grid.heights, WHOLE[:4, :5], atol=1e-5)  # written with six decimals


def test_a_part_reaching_beyond_is_what_there_is_and_one_beside_is_refused(tmp_path):
    path = tile(tmp_path, slice(0, 12), slice(0, 20))
    read = read_elevation(path, within=(WEST - 500, NORTH - 50, WEST + 40, NORTH + 500))
    assert read.grid.shape == (5, 4)
    with pytest.raises(GridError, match="lies beside the grid") as caught:
        read_elevation(path, within=(0, 0, 10, 10))
    assert "340000, 559880 to 340200, 560000" in caught.value.remedy
    with pytest.raises(GridError, match="no extent"):
        read_elevation(path, within=(WEST + 50, NORTH - 50, WEST, NORTH))


def test_relief_of_a_plane_and_of_a_pit():
    down, across = np.indices((40, 30))
    plane = 100.0 - 0.3 * down + 0.4 * across
    assert relief_of(plane, 10.0, 10.0).mean_slope == pytest.approx(0.05, rel=1e-12)
    plane[20, 10] -= 50
    assert relief_of(plane, 10.0, 10.0).pits == 1


def test_relief_is_the_same_in_strips():
    rough = np.random.default_rng(9).uniform(0, 100, (1300, 7))
    rough[600, 3] = np.nan
    found = relief_of(rough, 5.0, 10.0)
    across = (rough[1:-1, 2:] - rough[1:-1, :-2]) / 10
    down = (rough[2:, 1:-1] - rough[:-2, 1:-1]) / 20
    assert found.mean_slope == pytest.approx(np.nanmean(np.hypot(across, down)), rel=1e-12)
    low = sum(rough[r, c] == np.min(rough[r - 1 : r + 2, c - 1 : c + 2]) for r in range(1, 1299) for c in range(1, 6))
    assert found.pits == low
