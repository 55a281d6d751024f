"""Elevation grids are read into metres, north up, or refused with what to say."""

import numpy as np
import pytest
import rasterio
from affine import Affine

from tarnwater.errors import GridError
from tarnwater.formats.raster import grid_from_bytes, grid_to_bytes, read_elevation, scale_factor
from tarnwater.terrain.grid import Grid

UTM = "EPSG:32630"


@pytest.fixture
def write(tmp_path):
    """Write heights as a GeoTIFF or ASCII grid."""

    def make(
        heights, crs=UTM, name="t.tif", step=(10.0, -10.0), unit=None, nodata=None, origin=(500_000.0, 6_000_000.0)
    ):
        heights = np.atleast_2d(heights)
        path = tmp_path / name
        driver = "AAIGrid" if name.endswith(".asc") else "GTiff"
        place = Affine(step[0], 0, origin[0], 0, step[1], origin[1])
        whole = {"height": heights.shape[0], "width": heights.shape[1], "count": 1, "dtype": heights.dtype}
        import warnings

        with warnings.catch_warnings():
            warnings.simplefilter("ignore")
            with rasterio.open(path, "w", driver=driver, crs=crs, transform=place, nodata=nodata, **whole) as file:
                file.write(heights, 1)
                if unit:
                    file.units = (unit,)
        return path

    return make


HEIGHTS = np.arange(48, dtype=np.float32).reshape(6, 8)


def test_a_geotiff_is_read_with_its_place_and_no_data(write):
    heights = HEIGHTS.copy()
    heights[2, 3] = -9999
    grid = read_elevation(write(heights, nodata=-9999)).grid
    assert np.isnan(grid.heights[2, 3])
    assert np.isnan(grid.heights).sum() == 1
    assert (grid.dx, grid.dy, grid.west, grid.north, grid.crs) == (10, 10, 500_000, 6_000_000, UTM)


def test_an_ascii_grid_is_read_once_its_system_is_given(write):
    path = write(HEIGHTS, crs=None, name="t.asc", nodata=-1)
    grid = read_elevation(path, crs="EPSG:27700").grid
    assert np.array_equal(grid.heights, HEIGHTS)
    assert grid.crs == "EPSG:27700"


def test_whole_numbers_with_no_data_are_read(write):
    heights = HEIGHTS.astype(np.int16)
    heights[0, 0] = -32768
    assert np.isnan(read_elevation(write(heights, nodata=-32768)).grid.heights[0, 0])


def test_a_grid_without_crs_is_refused_with_how_to_give_it(write):
    with pytest.raises(GridError, match=r"t\.tif: the grid states no coordinate system.*--crs"):
        read_elevation(write(HEIGHTS, crs=None))


def test_an_unknown_crs_is_refused(write):
    with pytest.raises(GridError, match="“EPSG:99” is not a known coordinate system"):
        read_elevation(write(HEIGHTS, crs=None), crs="EPSG:99")


def test_a_grid_in_degrees_is_refused_with_the_zone_it_lies_in(write):
    path = write(HEIGHTS, crs="EPSG:4326", step=(0.001, -0.001), origin=(-3.0, 54.5))
    with pytest.raises(GridError, match="in degrees.*--reproject auto takes EPSG:32630"):
        read_elevation(path)


def test_a_grid_in_degrees_is_brought_into_a_projected_system_when_asked(write):
    down, _ = np.indices((60, 60))
    plane = (100.0 + 0.5 * down).astype(np.float32)
    path = write(plane, crs="EPSG:4326", step=(0.001, -0.001), origin=(-3.0, 54.5))
    read = read_elevation(path, reproject="auto")
    grid = read.grid
    assert grid.crs == "EPSG:32630"
    # 0.001 degrees at 54.5 N are 64.8 m by 111.3 m
    assert grid.dx == pytest.approx(np.sqrt(64.8 * 111.3), rel=0.002)
    assert "bilinearly" in read.notes[0]
    slope = np.nanmean(np.diff(grid.heights, axis=0)) / grid.dy
    assert slope == pytest.approx(0.5 / 111.3, rel=0.01)
    assert read_elevation(path, reproject="EPSG:27700", cell_size=50.0).grid.dx == pytest.approx(50.0)


def test_a_grid_in_feet_must_say_in_what_its_heights_are(write):
    path = write(HEIGHTS, crs="EPSG:2263")
    with pytest.raises(GridError, match="feet in plan.*--height-unit"):
        read_elevation(path)


def test_feet_are_converted_exactly(write):
    grid = read_elevation(write(HEIGHTS, crs="EPSG:2263"), height_unit="ft").grid
    assert grid.dx == pytest.approx(10 * 1200 / 3937, rel=1e-15)
    assert grid.heights == pytest.approx(HEIGHTS * 0.3048, rel=1e-7)
    stated = read_elevation(write(HEIGHTS, unit="foot")).grid
    assert stated.heights == pytest.approx(HEIGHTS * 0.3048, rel=1e-7)


def test_metres_are_taken_where_nothing_is_said_and_that_is_said(write):
    assert "metres were taken" in read_elevation(write(HEIGHTS)).notes[0]


@pytest.mark.parametrize(
    ("heights", "said"),
    [
        (np.full((5, 5), -1, np.float32), "every cell is no-data"),
        (np.ones((1, 9), np.float32), "at least 3 rows"),
        (np.where(np.eye(5) > 0, np.inf, 1).astype(np.float32), "infinite height"),
    ],
    ids=["all no-data", "one row", "infinities"],
)
def test_grids_with_nothing_to_drain_are_refused_by_name(write, heights, said):
    with pytest.raises(GridError, match=rf"t\.tif: .*{said}"):
        read_elevation(write(heights, nodata=-1))


@pytest.mark.parametrize("name", ["t.tif", "t.asc"])
def test_a_truncated_grid_is_refused(write, name):
    path = write(np.random.default_rng(1).random((400, 400)).astype(np.float32), name=name)
    data = path.read_bytes()
    path.write_bytes(data[: len(data) // 2])
    with pytest.raises(GridError, match="damaged, cut short, or no grid"):
        read_elevation(path, crs=UTM)


def test_what_is_no_grid_is_refused(tmp_path):
    path = tmp_path / "t.tif"
    path.write_text("not a grid")
    with pytest.raises(GridError, match="damaged, cut short, or no grid"):
        read_elevation(path)
    with pytest.raises(GridError, match="no such file"):
        read_elevation(tmp_path / "none.tif")


def test_a_picture_of_three_bands_is_refused(tmp_path):
    path = tmp_path / "t.tif"
    place = Affine(1, 0, 5, 0, -1, 9)
    with rasterio.open(
        path, "w", driver="GTiff", height=5, width=5, count=3, dtype="uint8", crs=UTM, transform=place
    ) as f:
        f.write(np.zeros((3, 5, 5), np.uint8))
    with pytest.raises(GridError, match="3 bands"):
        read_elevation(path)


def test_rows_that_run_northward_are_turned_over_and_that_is_said(write):
    read = read_elevation(write(HEIGHTS, step=(10.0, 10.0)))
    assert np.array_equal(read.grid.heights, HEIGHTS[::-1])
    assert "turned over" in read.notes[0]


def test_a_kept_grid_comes_back_as_it_was():
    heights = np.random.default_rng(3).random((20, 30)).astype(np.float32)
    heights[0, 0] = np.nan
    grid = Grid(heights, 100.0, 900.0, 5.0, 8.0, "EPSG:27700")
    again = grid_from_bytes(grid_to_bytes(grid))
    assert np.array_equal(again.heights, heights, equal_nan=True)
    assert (again.west, again.north, again.width, again.height, again.crs) == (100, 900, 5, 8, "EPSG:27700")
    with pytest.raises(GridError, match="damaged"):
        grid_from_bytes(b"nothing")


def test_the_scale_factor_of_web_maps_is_far_from_one():
    z = np.zeros((10, 10), np.float32)
    assert scale_factor(Grid(z, 340_000, 560_000, 10, 10, "EPSG:27700")) == pytest.approx(1.0, abs=0.001)
    web = scale_factor(Grid(z, -330_000, 7_240_000, 10, 10, "EPSG:3857"))
    # 1 / cos(latitude) of a sphere
    assert web == pytest.approx(1 / np.cos(np.radians(54.4)), rel=0.01)
