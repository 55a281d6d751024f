"""Elevation grids are read into metres, north up, or refused with what to say."""

import numpy as np
import pytest
import rasterio
from affine import Affine
from pyproj import CRS

from tarnwater.errors import Cancelled, GridError
from tarnwater.formats.raster import grid_from_bytes, grid_to_bytes, read_elevation, scale_factor
from tarnwater.progress import Progress
from tarnwater.terrain.drainage import drain
from tarnwater.terrain.grid import Grid
from tarnwater.terrain.measures import slopes

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
    assert "bilinear" in read.notes[0]
    slope = np.nanmean(np.diff(grid.heights, axis=0)) / grid.dy
    assert slope == pytest.approx(0.5 / 111.3, rel=0.01)
    assert read_elevation(path, reproject="EPSG:27700", cell_size=50.0).grid.dx == pytest.approx(50.0)


def test_a_grid_in_feet_must_say_in_what_its_heights_are(write):
    path = write(HEIGHTS, crs="EPSG:2263")
    with pytest.raises(GridError, match="foot in plan.*--height-unit"):
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


def test_a_truncated_geotiff_is_refused(write):
    path = write(np.random.default_rng(1).random((400, 400)).astype(np.float32))
    data = path.read_bytes()
    path.write_bytes(data[: len(data) // 2])
    with pytest.raises(GridError, match="damaged, cut short, or not a grid"):
        read_elevation(path, crs=UTM)


def test_what_is_no_grid_is_refused(tmp_path):
    path = tmp_path / "t.tif"
    path.write_text("not a grid")
    with pytest.raises(GridError, match="damaged, cut short, or not a grid"):
        read_elevation(path)
    with pytest.raises(GridError, match="no such file"):
        read_elevation(tmp_path / "none.tif")
    with pytest.raises(GridError, match="this is a folder"):
        read_elevation(tmp_path)


# disguised grids ------------------------------------------------------------------------------

VIRTUAL = (
    '<VRTDataset rasterXSize="9" rasterYSize="9"><VRTRasterBand dataType="Byte" band="1">'
    "<SimpleSource><SourceFilename>{}</SourceFilename></SimpleSource></VRTRasterBand></VRTDataset>"
)


@pytest.mark.parametrize("name", ["t.tif", "t.asc", "t.vrt"])
@pytest.mark.parametrize("source", ["/etc/hostname", "/vsicurl/http://127.0.0.1:9/a.tif"])
def test_a_grid_that_only_leads_elsewhere_is_not_opened(tmp_path, name, source):
    path = tmp_path / name
    path.write_text(VIRTUAL.format(source))
    with pytest.raises(GridError, match="neither as a GeoTIFF nor as an ASCII grid"):
        read_elevation(path, crs=UTM)
    with pytest.raises(GridError, match="no GeoTIFF"):
        grid_from_bytes(path.read_bytes())


# scale, offset, units -------------------------------------------------------------------------


def with_scale(path, scale, offset):
    with rasterio.open(path, "r+") as file:
        file.scales, file.offsets = (scale,), (offset,)
    return path


def test_scale_and_offset_are_applied_and_said(write):
    path = with_scale(write((10 * HEIGHTS).astype(np.int16)), 0.1, 5.0)
    read = read_elevation(path)
    assert read.grid.heights == pytest.approx(HEIGHTS + 5.0, rel=1e-12)
    assert read.grid.heights.dtype == np.float64
    assert "multiplied by 0.1 and 5 added" in read.notes[0]


def test_no_data_is_looked_for_before_scale_and_offset_are_applied(write):
    heights = (10 * HEIGHTS).astype(np.int16)
    heights[2, 2] = -32768
    grid = read_elevation(with_scale(write(heights, nodata=-32768), 0.1, 0.0)).grid
    assert np.isnan(grid.heights[2, 2])
    assert np.isnan(grid.heights).sum() == 1


@pytest.mark.parametrize(
    ("unit", "factor"), [("km", 1000.0), ("decimetres", 0.1), ("cm", 0.01), ("US survey foot", 1200 / 3937)]
)
def test_stated_units_of_height_are_converted(write, unit, factor):
    assert read_elevation(write(HEIGHTS, unit=unit)).grid.heights == pytest.approx(HEIGHTS * factor, rel=1e-6)


def test_a_stated_unit_that_is_not_understood_is_asked_for(write):
    path = write(HEIGHTS, unit="fathom")
    with pytest.raises(GridError, match="“fathom”, a unit that is not understood.*--height-unit"):
        read_elevation(path)
    assert read_elevation(path, height_unit="m").grid.heights[5, 7] == 47


def test_the_unit_of_heights_in_a_compound_system_counts(write):
    # NAD83 / Maryland with heights in US survey feet
    read = read_elevation(write(HEIGHTS, crs="EPSG:2248+6360"))
    assert read.grid.heights == pytest.approx(HEIGHTS * 1200 / 3937, rel=1e-6)
    assert "1 us-ft" in " ".join(read.notes)


def test_kilometres_in_plan_become_metres(write):
    system = CRS.from_proj4("+proj=utm +zone=30 +datum=WGS84 +units=km").to_wkt()
    grid = read_elevation(write(HEIGHTS, crs=system, step=(0.01, -0.01), origin=(500.0, 6000.0)), height_unit="m").grid
    assert (grid.dx, grid.metres) == (pytest.approx(10.0), 1000.0)


def test_a_site_grid_in_metres_is_accepted(write):
    grid = read_elevation(write(HEIGHTS, crs='LOCAL_CS["site grid",UNIT["metre",1]]')).grid
    assert (grid.dx, grid.metres, scale_factor(grid)) == (10.0, 1.0, 1.0)


def test_double_precision_is_kept(write):
    heights = 1000.0 + 1e-9 * HEIGHTS.astype(np.float64)
    grid = read_elevation(write(heights)).grid
    assert np.array_equal(grid.heights, heights)
    assert np.array_equal(grid_from_bytes(grid_to_bytes(grid)).heights, heights)
    down, _ = np.indices((9, 9))
    slope = slopes(drain(Grid(1e6 - 1e-7 * down.astype(float), 0.0, 90.0, 10.0, 10.0, UTM)))
    # the step of 1e-7 m is a thousandth of what single precision tells apart at 1e6 m
    assert slope == pytest.approx(np.full((9, 9), 1e-8), rel=1e-2)


# rows, columns, fills, size -------------------------------------------------------------------


def test_columns_that_run_westward_are_turned_over_and_that_is_said(write):
    read = read_elevation(write(HEIGHTS, step=(-10.0, -10.0)))
    assert np.array_equal(read.grid.heights, HEIGHTS[:, ::-1])
    assert (read.grid.west, read.grid.width) == (500_000.0 - 80.0, 10.0)
    assert "columns ran from east to west" in read.notes[0]


def test_a_turned_grid_is_refused_before_it_is_read(tmp_path, monkeypatch):
    path = tmp_path / "t.tif"
    place = Affine.translation(500_000, 6_000_000) * Affine.rotation(20) * Affine.scale(10, -10)
    with rasterio.open(path, "w", driver="GTiff", height=6, width=8, count=1, dtype="float32", crs=UTM,
                       transform=place) as file:  # fmt: skip
        file.write(HEIGHTS, 1)
    monkeypatch.setattr("rasterio.io.DatasetReader.read", None, raising=False)
    with pytest.raises(GridError, match=r"t\.tif: the grid is rotated"):
        read_elevation(path)


@pytest.mark.parametrize("fill", [-9999.0, -32768.0, 1e30, -3.4e38])
@pytest.mark.parametrize(("row", "column", "edge"), [(0, 3, True), (3, 3, False)])
def test_an_undeclared_fill_is_a_doubt_at_the_edge_as_inside(write, fill, row, column, edge):
    heights = HEIGHTS.copy()
    heights[row, column] = fill
    path = write(heights)
    read = read_elevation(path)
    (found,) = read.fills
    assert (found.value, found.cells, found.at_edge) == (pytest.approx(fill), 1, edge)
    assert "not declared as no data" in " ".join(read.notes)
    told = read_elevation(path, no_data=fill)
    assert np.isnan(told.grid.heights[row, column])
    assert told.fills == ()


def test_heights_that_only_look_high_are_no_fill(write):
    assert read_elevation(write(HEIGHTS + 8000)).fills == ()


def test_a_grid_that_declares_too_many_cells_is_refused_before_it_is_read(tmp_path):
    path = tmp_path / "t.tif"
    with rasterio.open(path, "w", driver="GTiff", height=300_000, width=300_000, count=1, dtype="float32", crs=UTM,
                       transform=Affine(1, 0, 5, 0, -1, 5), sparse_ok=True, tiled=True, bigtiff=True) as _:  # fmt: skip
        pass
    with pytest.raises(GridError, match="declares 300000 × 300000 cells"):
        read_elevation(path)


# ASCII grids ----------------------------------------------------------------------------------

HEADER = "ncols 4\nnrows 3\nxllcorner 100\nyllcorner 200\ncellsize 10\nNODATA_value -9999\n"
ROWS = ["1 2 3 4", "5 6 -9999 8", "9 10 11 12"]


def ascii_grid(tmp_path, rows=ROWS, header=HEADER):
    path = tmp_path / "t.asc"
    path.write_text(header + "\n".join(rows) + "\n")
    return path


def test_an_ascii_grid_is_read_with_its_corner_and_no_data(tmp_path):
    grid = read_elevation(ascii_grid(tmp_path), crs=UTM).grid
    assert (grid.west, grid.north, grid.dx) == (100.0, 230.0, 10.0)
    assert grid.heights[2].tolist() == [9, 10, 11, 12]
    assert np.isnan(grid.heights[1, 2])
    centred = HEADER.replace("xllcorner 100", "XLLCENTER 105").replace("yllcorner 200", "YLLCENTER 205")
    assert read_elevation(ascii_grid(tmp_path, header=centred), crs=UTM).grid.west == 100.0


@pytest.mark.parametrize(
    ("rows", "header", "said"),
    [
        (["1 2 3 4", "5 six 7 8", "9 10 11 12"], HEADER, "line 8, value 2: “six” is no height"),
        (["1 2 3 4", "5,5 6 7 8", "9 10 11 12"], HEADER, "line 8, value 1: “5,5” is no height"),
        (["1 2 3 4", "5 6 7", "9 10 11 12"], HEADER, "line 8: 3 values where 4 are declared; 1 are missing"),
        (["1 2 3 4 5", "5 6 7 8", "9 10 11 12"], HEADER, "line 7: 5 values where 4 are declared; 1 are too many"),
        (["1 2 3 4", "5 6 7 8"], HEADER, "1 of 3 rows are missing"),
        ([*ROWS, "1 2 3 4"], HEADER, "line 10: there are more rows than the 3"),
        (ROWS, HEADER.replace("cellsize 10", "cellsize 0"), "line 5: the cell size cannot be 0"),
        (ROWS, HEADER.replace("ncols 4", "ncols four"), "line 1: “four” is no number"),
        (ROWS, HEADER.replace("xllcorner 100\n", ""), "lacks xllcorner and yllcorner"),
        (ROWS, HEADER.replace("cols 4", "cols 2000000000").replace("rows 3", "rows 2000000000"), "at most 150000000"),
        ([], HEADER, "3 of 3 rows are missing|every row is missing"),
    ],
    ids=["a word", "a decimal comma", "a missing value", "a surplus value", "missing rows", "surplus rows",
         "a zero cell size", "a word in the header", "no corner", "two thousand million rows", "no rows"],
)  # fmt: skip
def test_a_faulty_ascii_grid_is_refused_by_its_line(tmp_path, rows, header, said):
    with pytest.raises(GridError, match=rf"t\.asc: .*({said})"):
        read_elevation(ascii_grid(tmp_path, rows, header), crs=UTM)


def test_reading_an_ascii_grid_can_be_stopped(tmp_path, monkeypatch):
    monkeypatch.setattr("tarnwater.formats.ascii_grid.LINES_AT_ONCE", 1)
    progress = Progress()
    progress.cancel()
    with pytest.raises(Cancelled):
        read_elevation(ascii_grid(tmp_path), crs=UTM, progress=progress)


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
    assert "flipped" in read.notes[0]


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
