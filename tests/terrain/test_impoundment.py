"""Water behind a dam: a valley of closed form, and dams that hold no water."""

import numpy as np
import pytest

from tarnwater.errors import BadInput
from tarnwater.terrain.grid import Grid
from tarnwater.terrain.impoundment import Dam, impound, thinned

#: A valley with sides of 1 in 5 and a bed that rises northward by 2 per cent, 60 m wide; its dam stands 30 m north.
SIDE, BED, SOUTH, MIDDLE, ROWS, COLUMNS = 0.2, 0.02, 30.0, 30.0, 300, 60


def valley(cell=1.0, metres=1.0, west=5000.0, south=9000.0):
    rows, columns = round(ROWS / cell), round(COLUMNS / cell)
    north = south + ROWS / metres
    across = (np.arange(columns) + 0.5) * cell
    up = ROWS - (np.arange(rows) + 0.5) * cell
    heights = 50.0 + SIDE * np.abs(across - MIDDLE) + BED * (up[:, None] - SOUTH)
    return Grid(heights, west, north, cell / metres, cell / metres, "EPSG:32630", metres)


def dam(grid, crest=54.0, **own):
    line = [[2.0, SOUTH], [COLUMNS - 2.0, SOUTH]]
    places = np.array([[grid.west + x / grid.metres, grid.north - (ROWS - y) / grid.metres] for x, y in line])
    return Dam(places, crest, **own)


@pytest.mark.parametrize("metres", [1.0, 0.3048])
def test_area_volume_and_earth_of_a_valley_are_those_of_the_closed_form(metres):
    grid = valley(metres=metres)
    found = impound(grid, dam(grid, crest_width=4.0, wet_side=3.0, dry_side=2.0), 53.0)
    depth = 3.0
    # cells of 1 m in water 30 m wide and 150 m long
    assert found.areas[-1] == pytest.approx(depth**2 / (SIDE * BED), rel=0.03)
    assert found.volumes[-1] == pytest.approx(depth**3 / (3 * SIDE * BED), rel=0.03)
    half = found.levels[len(found.levels) // 2] - 50.0
    assert found.volumes[len(found.levels) // 2] == pytest.approx(half**3 / (3 * SIDE * BED), rel=0.08)
    height = 4.0
    earth = 2 * (4.0 * height**2 / (2 * SIDE) + 2.5 * height**3 / (3 * SIDE))
    assert found.earth == pytest.approx(earth, rel=5e-3)
    assert (np.diff(found.volumes) > 0).all()
    assert (np.diff(found.areas) >= 0).all()


def test_finer_cells_come_nearer_to_the_closed_form():
    exact = 3.0**3 / (3 * SIDE * BED)
    off = [abs(impound(g, dam(g), 53.0).volumes[-1] / exact - 1) for g in (valley(2.0), valley(0.5))]
    assert off[1] < 0.4 * off[0]


def test_the_water_stands_on_the_side_from_which_the_valley_drains():
    grid = valley()
    found = impound(grid, dam(grid), 52.0)
    rows = np.nonzero(found.wet)[0]
    assert ROWS - rows.max() > SOUTH
    # the line drawn the other way means the same dam
    turned = dam(grid)
    again = impound(grid, Dam(turned.line[::-1], turned.crest), 52.0)
    assert np.array_equal(again.wet, found.wet)


def test_a_side_valley_fills_when_its_sill_is_reached():
    grid = valley()
    heights = grid.heights.copy()
    # a hollow beside the valley, behind a sill at 51.6
    heights[180:220, 36:52] = 51.0
    heights[175:225, 33:36] = 51.6
    grid = Grid(heights, grid.west, grid.north, 1.0, 1.0, grid.crs)
    found = impound(grid, dam(grid), 53.0)
    before, after = np.searchsorted(found.levels, [51.55, 51.75])
    assert found.areas[after] - found.areas[before] > 500


@pytest.mark.parametrize(
    ("change", "level", "words"),
    [
        ({"crest": 54.0}, 54.5, "stands above the crest"),
        ({"crest": 57.0}, 55.0, "an end of the dam stands on"),
        ({"crest": 54.0}, 49.0, "does not stand behind the dam"),
    ],
)
def test_a_dam_that_holds_no_such_water_is_refused(change, level, words):
    grid = valley()
    with pytest.raises(BadInput, match=words):
        impound(grid, dam(grid, **change), level)


def test_water_that_goes_round_an_end_or_to_the_edge_is_refused():
    grid = valley()
    heights = grid.heights.copy()
    # a gap in the hillside beyond the end of the dam leads back to the valley below it
    heights[230:299, 58] = 51.0
    heights[230, 30:58] = np.minimum(heights[230, 30:58], 51.0)
    heights[298, 30:58] = np.minimum(heights[298, 30:58], 51.0)
    around = Grid(heights, grid.west, grid.north, 1.0, 1.0, grid.crs)
    short = dam(grid)
    with pytest.raises(BadInput, match="goes round the end"):
        impound(around, Dam(np.array([short.line[0], short.line[1] - [2.5, 0]]), 54.0), 53.0)
    # the valley is cut off by the edge before its bed is as high as the water
    cut = Grid(grid.heights[150:], grid.west, grid.north - 150, 1.0, 1.0, grid.crs)
    with pytest.raises(BadInput, match="reaches the edge of the terrain"):
        impound(cut, dam(grid), 53.8)


@pytest.mark.parametrize("line", [[[5010.0, 9030.0]], [[5010.0, 9030.0], [5010.0, 9030.0]]])
def test_a_dam_without_length_is_refused(line):
    with pytest.raises(BadInput, match="no length"):
        impound(valley(), Dam(np.array(line), 54.0), 53.0)


def test_a_dam_off_the_terrain_is_refused():
    grid = valley()
    with pytest.raises(BadInput, match="no ground under the whole dam"):
        impound(grid, Dam(dam(grid).line + [0, 5000.0], 54.0), 53.0)


def test_a_thinned_table_keeps_its_error_and_its_ends():
    levels = np.linspace(0, 3, 500)
    volumes = levels**3
    kept = thinned(levels, volumes, 1e-3 * volumes[-1])
    assert kept[0] == 0
    assert kept[-1] == 499
    assert len(kept) < 30
    assert np.abs(np.interp(levels, levels[kept], volumes[kept]) - volumes).max() <= 1e-3 * volumes[-1]
    found = impound(valley(), dam(valley()), 53.0)
    short, held = found.table()
    assert len(short) < len(found.levels)
    assert np.abs(np.interp(found.levels, short, held) - found.volumes).max() <= 1.001e-3 * found.volumes[-1]


@pytest.mark.parametrize("turn", [1, -1])
def test_a_narrow_stream_across_the_cells_fills_from_corner_to_corner_and_not_through_the_dam(turn):
    # a bed of single cells that meet at their corners only, falling to the south, in sides of 2 m a cell
    rows, columns = np.mgrid[0:80, 0:80]
    off = np.abs(columns - (rows if turn == 1 else 79 - rows))
    heights = 60.0 - 0.1 * rows + 2.0 * off
    grid = Grid(heights, 5000.0, 9080.0, 1.0, 1.0, "EPSG:32630")
    middle = np.array([5000.0 + 40.0, 9080.0 - 40.0])
    across = np.array([1.0, 1.0 * turn]) * 4.0
    wall = Dam(np.array([middle - across, middle + across]), 58.0)
    found = impound(grid, wall, 57.5)
    # the bed stands at 56.1 beside the dam and rises by 0.1 a cell: fourteen cells of it lie below the water
    assert found.wet[:41].any(axis=1).sum() == pytest.approx(14, abs=1)
    assert not found.wet[42:].any()
    assert found.levels[0] == pytest.approx(56.1, abs=0.15)
