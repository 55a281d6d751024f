"""Pictures under the map: where they lie, what they show, and files that cannot be shown."""

import numpy as np
import pytest
import rasterio
from affine import Affine
from PIL import Image
from rasterio.warp import transform

from tarnwater.errors import PictureError
from tarnwater.formats.pictures import open_picture, read_picture

CRS = "EPSG:27700"
PLACE = Affine(10, 0, 340_000, 0, -10, 560_000)
COLOURS = np.zeros((3, 40, 60), np.uint8)
COLOURS[0, :20, :30] = 250
COLOURS[1, :20, 30:] = 250
COLOURS[2, 20:] = 250


def written(path, pixels=COLOURS, *, crs=CRS, place=PLACE, palette=None):
    bands, rows, columns = pixels.shape
    with rasterio.open(
        path, "w", driver="GTiff", height=rows, width=columns, count=bands, dtype=pixels.dtype, crs=crs, transform=place
    ) as file:
        file.write(pixels)
        if palette is not None:
            file.write_colormap(1, palette)
    return path


def bare(path):
    """A picture that does not say where it lies."""
    Image.fromarray(np.moveaxis(COLOURS, 0, -1)).save(path)
    return path


def with_world_file(path):
    """A PNG or JPEG with a world file, and no other statement of its place."""
    bare(path)
    end = {".png": ".pgw", ".jpg": ".jgw"}[path.suffix]
    # a world file names the centre of the first pixel
    path.with_suffix(end).write_text("10\n0\n0\n-10\n340005\n559995\n")
    return path


def test_a_picture_lies_where_its_file_says(tmp_path):
    picture = open_picture(written(tmp_path / "air.tif"), CRS)
    assert picture.bounds == pytest.approx((340_000, 559_600, 340_600, 560_000), abs=1e-6)
    shown = read_picture(picture, picture.bounds, 60, 40)
    assert shown[:15, :25, 0].min() == 250
    assert shown[:15, 35:, 1].min() == 250
    assert shown[25:, :, 2].min() == 250
    assert (shown[..., 3] == 255).all()


@pytest.mark.parametrize("name", ["air.png", "air.jpg"])
def test_a_picture_with_a_world_file_lies_there(tmp_path, name):
    picture = open_picture(with_world_file(tmp_path / name), CRS, stated=CRS)
    assert picture.bounds == pytest.approx((340_000, 559_600, 340_600, 560_000), abs=1e-6)
    shown = read_picture(picture, picture.bounds, 60, 40).astype(int)
    assert shown[10, 10, 0] - shown[10, 10, 1] > 200  # JPEG changes colours a little


def test_a_part_is_read_at_the_size_asked_and_transparent_beyond(tmp_path):
    picture = open_picture(written(tmp_path / "air.tif"), CRS)
    shown = read_picture(picture, (339_900, 559_800, 340_100, 560_000), 40, 40)
    assert shown.shape == (40, 40, 4)
    assert (shown[:, :19, 3] == 0).all()
    assert (shown[:, 21:, 3] == 255).all()
    assert shown[20, 30, 0] == 250


def test_a_picture_with_a_palette_and_one_of_grey_have_their_colours(tmp_path):
    codes = np.where(COLOURS[:1] > 0, 3, 1).astype(np.uint8)
    coloured = written(tmp_path / "p.tif", codes, palette={1: (10, 20, 30, 255), 3: (200, 100, 50, 255)})
    shown = read_picture(open_picture(coloured, CRS), (340_000, 559_600, 340_600, 560_000), 60, 40)
    assert shown[5, 5, :3].tolist() == [200, 100, 50]
    assert shown[35, 5, :3].tolist() == [10, 20, 30]
    grey = written(tmp_path / "g.tif", np.linspace(100, 900, 2400).reshape(1, 40, 60).astype(np.float32))
    shown = read_picture(open_picture(grey, CRS), (340_000, 559_600, 340_600, 560_000), 60, 40)
    assert shown[0, 0, 0] == 0
    assert shown[-1, -1, 0] == 255
    assert np.array_equal(shown[..., 0], shown[..., 2])


def test_a_picture_in_another_system_is_warped_to_its_place(tmp_path):
    place = Affine(0.0001, 0, -3.0, 0, -0.0001, 54.5)
    picture = open_picture(written(tmp_path / "d.tif", crs="EPSG:4326", place=place), CRS)
    (x,), (y,) = transform("EPSG:4326", CRS, [-2.9985], [54.4990])
    shown = read_picture(picture, (x - 5, y - 5, x + 5, y + 5), 3, 3)
    assert shown[1, 1, :3].tolist() == [250, 0, 0]


def test_a_picture_without_a_place_or_a_system_is_refused_with_what_to_do(tmp_path):
    with pytest.raises(PictureError, match="does not say where it lies") as caught:
        open_picture(bare(tmp_path / "bare.png"), CRS, stated=CRS)
    assert "bare.pgw" in caught.value.remedy
    with pytest.raises(PictureError, match="states no coordinate system"):
        open_picture(with_world_file(tmp_path / "air.png"), CRS)


@pytest.mark.parametrize("content", [b"", b"BM not a picture", b"\x89PNG\r\n\x1a\n cut", b"II*\x00 cut"])
def test_damaged_and_foreign_pictures_are_refused(tmp_path, content):
    path = tmp_path / "odd.png"
    path.write_bytes(content)
    with pytest.raises(PictureError, match="no GeoTIFF, PNG or JPEG|damaged or cut short"):
        open_picture(path, CRS, stated=CRS)


def test_a_picture_that_is_gone_is_named(tmp_path):
    with pytest.raises(PictureError, match="no such file") as caught:
        open_picture(tmp_path / "gone.tif", CRS)
    assert "gone.tif" in caught.value.where
