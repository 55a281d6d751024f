"""Grids of classes as polygons."""

import numpy as np
import pytest
import rasterio
from rasterio.transform import from_origin

from tarnwater.errors import TableError, VectorError
from tarnwater.formats.class_grid import is_class_grid, read_class_grid
from tarnwater.formats.joining import joined, read_keyed_table
from tarnwater.formats.shapes import read_shapes


def write(path, codes, size=25.0, crs="EPSG:32630", nodata=0, dtype="int16", bands=1):
    codes = np.asarray(codes, dtype)
    with rasterio.open(
        path, "w", driver="GTiff", height=codes.shape[0], width=codes.shape[1], count=bands, dtype=dtype, crs=crs,
        transform=from_origin(400_000, 6_000_000, size, size), nodata=nodata,
    ) as file:  # fmt: skip
        for band in range(1, bands + 1):
            file.write(codes, band)
    return path


def areas(found):
    total = {}
    for shape, value in zip(found.shapes, found.fields["class"], strict=True):
        total[value] = total.get(value, 0.0) + shape.area
    return total


def test_cells_of_one_class_are_polygons_along_their_edges(tmp_path):
    path = write(tmp_path / "cover.tif", [[1, 1, 2], [1, 0, 2]])
    found = read_class_grid(path)
    assert is_class_grid(path)
    assert areas(found) == {"1": 3 * 625.0, "2": 2 * 625.0}
    assert found.crs == "EPSG:32630"


@pytest.mark.parametrize("size", [3.7, 25.0, 1000.0])
def test_class_grids_on_another_cell_size(tmp_path, size):
    found = read_class_grid(write(tmp_path / "cover.tif", [[1, 2], [3, 3]], size))
    assert areas(found) == pytest.approx({"1": size**2, "2": size**2, "3": 2 * size**2})


def test_a_grid_in_another_system_is_moved(tmp_path):
    found = read_shapes(write(tmp_path / "cover.tif", [[1, 2]]), into="EPSG:32631", grids=True)
    assert found.crs == "EPSG:32631"
    # three degrees off the middle of its zone a length grows by about a thousandth
    assert areas(found)["1"] == pytest.approx(625.0, rel=0.02)


def test_a_grid_of_heights_is_no_map_of_classes(tmp_path):
    with pytest.raises(VectorError, match=r"holds 1\.5, which is no number of a class"):
        read_class_grid(write(tmp_path / "heights.tif", [[1.0, 1.5]], dtype="float32"))
    many = np.arange(1, 1002).reshape(1, -1)
    with pytest.raises(VectorError, match="1001 different numbers"):
        read_class_grid(write(tmp_path / "many.tif", many))


@pytest.mark.parametrize("what", ["empty", "bands", "damaged"])
def test_a_grid_that_cannot_be_used_says_why(tmp_path, what):
    path = tmp_path / "cover.tif"
    if what == "empty":
        write(path, [[0, 0]])
    elif what == "bands":
        write(path, [[1, 2]], bands=3)
    else:
        path.write_bytes(write(path, np.ones((400, 400))).read_bytes()[:300])
    with pytest.raises(VectorError):
        read_class_grid(path)


def test_a_legend_is_joined_to_a_grid(tmp_path):
    found = read_class_grid(write(tmp_path / "cover.tif", [[1, 2]]))
    path = tmp_path / "legend.csv"
    path.write_text('number,cover\n1,Meadow\n2,"Woods, good"\n', encoding="utf-8")
    assert joined(found, read_keyed_table(path), "class", "number").fields["cover"] == ("Meadow", "Woods, good")


@pytest.mark.parametrize(
    ("text", "what"),
    [("", "empty"), ("a,b\n1\n", "1 rows cannot be read"), ("a,a\n1,2\n", "same name")],
)
def test_a_table_that_cannot_be_joined_says_why(tmp_path, text, what):
    path = tmp_path / "legend.csv"
    path.write_text(text)
    with pytest.raises(TableError, match=what):
        read_keyed_table(path)
