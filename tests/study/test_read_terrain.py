"""What reading a terrain does to the peak: tiles joined, a part cut out, degrees and feet, each by hand."""

import numpy as np
import pytest

from tarnwater.formats.raster import grid_to_bytes, read_elevation
from tarnwater.formats.tiles import read_tiles
from tarnwater.terrain.grid import Grid

from .test_conditioning import CELL, COLUMNS, MIDDLE, ROWS, SAME, cells_of, made, peak_of, valley


def tile(tmp_path, name, rows):
    """A file with some rows of the valley."""
    north = (ROWS - rows.start) * CELL
    heights = np.ascontiguousarray(valley().heights[rows])
    path = tmp_path / name
    path.write_bytes(grid_to_bytes(Grid(heights, 0.0, north, CELL, CELL, "EPSG:27700")))
    return path


def test_the_peak_of_two_tiles_joined_is_to_that_of_the_lower_one_as_their_rows(tmp_path):
    upper, lower = tile(tmp_path, "upper.tif", slice(0, 25)), tile(tmp_path, "lower.tif", slice(25, ROWS))
    one, both = made(read_tiles([lower]).grid)[0], made(read_tiles([upper, lower]).grid)[0]
    assert (cells_of(one), cells_of(both)) == (15 * COLUMNS, ROWS * COLUMNS)
    assert peak_of(both) / peak_of(one) == pytest.approx(ROWS / 15, rel=SAME)


def test_the_peak_of_a_part_cut_out_is_to_that_of_the_whole_as_their_rows(tmp_path):
    path = tile(tmp_path, "valley.tif", slice(0, ROWS))
    part = read_elevation(path, within=(0.0, 0.0, COLUMNS * CELL, 30 * CELL)).grid
    whole = made(read_elevation(path).grid)[0]
    cut = made(part)[0]
    assert cells_of(cut) == 30 * COLUMNS
    assert peak_of(cut) / peak_of(whole) == pytest.approx(30 / ROWS, rel=SAME)


def written(path, heights, crs, west, north, step):
    import rasterio
    from affine import Affine

    rows, columns = heights.shape
    with rasterio.open(
        path, "w", driver="GTiff", height=rows, width=columns, count=1, dtype="float32", crs=crs,
        transform=Affine(step, 0, west, 0, -step, north),
    ) as file:  # fmt: skip
        file.write(heights.astype(np.float32), 1)
    return path


def test_the_peak_of_a_terrain_in_survey_feet_has_its_area_in_metres(tmp_path):
    """Cells of 10 US survey feet are 10 × 1200 / 3937 m; heights of the same numbers in feet do not move the divide."""
    heights = valley().heights
    path = written(tmp_path / "feet.tif", heights, "EPSG:2263", 0.0, ROWS * CELL, CELL)
    grid = read_elevation(path, height_unit="ft").grid
    foot = 1200 / 3937
    metres, feet = (
        made(valley())[0],
        made(grid, at=grid.centre(ROWS - 1, MIDDLE), stream_threshold=(CELL * foot) ** 2)[0],
    )
    assert feet.catchments["foot"].area.known == pytest.approx(ROWS * COLUMNS * (CELL * foot) ** 2, rel=SAME)
    assert peak_of(feet) / peak_of(metres) == pytest.approx(foot**2, rel=SAME)
    assert feet.catchments["foot"].relief.known == pytest.approx((ROWS - 1 + 3 * MIDDLE) * 0.3048, rel=1e-6)


def test_the_peak_of_a_terrain_in_degrees_is_that_of_its_area_on_the_map(tmp_path):
    """Three valleys side by side: the middle one lies between two ridges, below a third, above its outlet.

    Its area in degrees becomes one on the map by the ellipsoid and the scale of the projection. Cells of the map cut
    the ridges within one cell on each side: of 100 cells across and 200 along that is 3 % at most; the centre of a
    divide is off by half as much.
    """
    from pyproj import Geod, Proj

    step, west, north = 0.0001, -3.0, 54.5
    down, across = np.indices((300, 300))
    # a ridge along row 50, from which the land falls both ways; valleys along columns 50, 150 and 250
    heights = 500.0 - 1.0 * np.abs(down - 50) + 3.0 * np.abs((across - 50 + 50) % 100 - 50)
    path = written(tmp_path / "degrees.tif", heights, "EPSG:4326", west, north, step)
    grid = read_elevation(path, reproject="auto").grid
    to_map = Proj(grid.crs)
    foot = west + 150.5 * step, north - 250.5 * step
    found, _ = made(grid, at=to_map(*foot), stream_threshold=1e5, snap_radius=60.0)
    sides = west + 100.5 * step, west + 200.5 * step
    ends = north - 50.5 * step, foot[1]
    on_earth = abs(Geod(ellps="WGS84").polygon_area_perimeter([*sides, *sides[::-1]], [ends[0]] * 2 + [ends[1]] * 2)[0])
    factors = to_map.get_factors(west + 150.5 * step, (ends[0] + ends[1]) / 2)
    meant = on_earth * factors.areal_scale
    assert found.catchments["foot"].area.known == pytest.approx(meant, rel=0.015)
    assert peak_of(found) / peak_of(made(valley())[0]) == pytest.approx(
        found.catchments["foot"].area.known / (ROWS * COLUMNS * CELL**2), rel=SAME
    )
