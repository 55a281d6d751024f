"""Light and shade on the screen, tile by tile, and lines thinned for the scale."""

import numpy as np
import pytest
from PyQt6.QtGui import QColor, QImage, QPainter

from tarnwater.desk.benches.ground.map_view import MapView
from tarnwater.desk.benches.ground.scene import QUICK_STROKE, ThinLines
from tarnwater.desk.benches.ground.tiles import MOST_NEW, Tiles, shades
from tarnwater.desk.theme import LIGHT
from tarnwater.study.pictures.map import Extent
from tarnwater.terrain.lines import Lines
from tarnwater.terrain.shade import Pyramid

HOLE = QColor("#ff00ff").rgb()


@pytest.fixture
def extent():
    return Extent(1000.0, 9000.0, 2.0, 2.0, 3001, 2200)


@pytest.fixture
def tiles(qapp, extent):
    picture = np.random.default_rng(2).integers(1, 256, (extent.rows, extent.columns), dtype=np.uint8)
    return Tiles(Pyramid.of(picture), extent, shades(LIGHT))


def drawn(tiles, view, smooth):
    image = QImage(view.width, view.height, QImage.Format.Format_RGB32)
    image.fill(HOLE)
    painter = QPainter(image)
    tiles.draw(painter, view, smooth=smooth)
    painter.end()
    bits = image.constBits()
    bits.setsize(image.sizeInBytes())
    return np.frombuffer(bits, np.uint32).reshape(view.height, view.width).copy()


@pytest.mark.parametrize("zoom", [1.0, 1.7, 4.0, 11.0, 40.0])
@pytest.mark.parametrize("smooth", [True, False])
def test_the_ground_is_covered_without_a_seam_and_nothing_beyond_it(tiles, extent, zoom, smooth):
    whole = MapView.of_whole(extent.west, extent.south, extent.east, extent.north, 640, 480)
    view = whole.zoomed(zoom, 320, 240)
    pixels = drawn(tiles, view, smooth)
    down, across = np.indices(pixels.shape)
    x, y = view.place(across + 0.5, down + 0.5)
    edge = 1.5 / view.scale
    within = (x > extent.west + edge) & (x < extent.east - edge) & (y > extent.south + edge) & (y < extent.north - edge)
    beyond = (x < extent.west - edge) | (x > extent.east + edge) | (y < extent.south - edge) | (y > extent.north + edge)
    assert not (pixels[within] == HOLE).any()
    assert (pixels[beyond] == HOLE).all()


def test_a_quick_drawing_makes_few_tiles_and_a_smooth_one_all_that_are_seen(tiles, extent):
    view = MapView.of_whole(extent.west, extent.south, extent.east, extent.north, 1500, 1500).zoomed(1.6, 700, 700)
    drawn(tiles, view, smooth=False)
    quick = len(tiles._kept)
    # a stand-in of the coarsest level may be made besides
    assert quick <= MOST_NEW + 1
    drawn(tiles, view, smooth=True)
    assert len(tiles._kept) > quick
    before = dict(tiles._kept)
    drawn(tiles, view, smooth=False)
    assert tiles._kept.keys() == before.keys()


@pytest.fixture
def wandering():
    rng = np.random.default_rng(4)
    return ThinLines(Lines.of([rng.normal(size=(4000, 2)).cumsum(axis=0) * 5 for _ in range(6)]))


def test_paths_are_used_again_until_the_view_leaves_them(qapp, wandering):
    view = MapView(1.0, 0.0, 0.0, 400, 300)
    first = wandering.paths(view, smooth=True)
    assert wandering.paths(view.moved(150, 90), smooth=True) is first
    assert wandering.paths(view.moved(900, 0), smooth=True) is not first
    assert wandering.made == 2


def test_while_it_moves_coarser_paths_stand_in_for_those_that_may_not_be_made(qapp, wandering):
    far = MapView(0.1, 0.0, 0.0, 400, 300)
    whole = wandering.paths(far, smooth=False)
    near = MapView(1.0, 0.0, 0.0, 400, 300)
    assert wandering.paths(near, smooth=False, may_make=False) is whole
    made = wandering.paths(near, smooth=False)
    assert made is not whole
    points = sum(path.elementCount() for _, path in made)
    assert max(path.elementCount() for _, path in made) <= QUICK_STROKE
    assert points < sum(path.elementCount() for _, path in wandering.paths(near, smooth=True))
