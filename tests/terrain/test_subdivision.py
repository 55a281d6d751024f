"""Land divided into parts of about one size."""

import numpy as np
import pytest
from scipy.ndimage import distance_transform_edt, gaussian_filter

from tarnwater.errors import OutOfRange
from tarnwater.terrain.catchments import delineate
from tarnwater.terrain.drainage import drain
from tarnwater.terrain.grid import Grid
from tarnwater.terrain.outlets import Snapped
from tarnwater.terrain.subdivision import subdivide

CELL = 10.0


def at(drainage, row, column):
    place = drainage.grid.centre(row, column)
    area = float(drainage.upstream[row, column] * drainage.grid.cell_area)
    return Snapped(place, place, row, column, 0.0, area, area)


def rough(seed):
    rng = np.random.default_rng(seed)
    z = gaussian_filter(rng.normal(size=(120, 90)), 6) * 300
    z += np.hypot(*(np.indices(z.shape) - np.array([119, 45])[:, None, None])) * 0.3
    return drain(Grid(z, 0, 1200, CELL, CELL, "EPSG:27700"))


def divided(drainage, before, size, indices):
    base = delineate(drainage, before)
    new = [at(drainage, row, column) for row, column in subdivide(base, size, indices)]
    return base, delineate(drainage, [*before, *new]), new


def test_a_straight_valley_is_cut_into_equal_lengths():
    """31 cells drain into each row of the stream: parts of 310 cells are ten rows long."""
    down, across = np.indices((60, 31))
    drainage = drain(Grid(200.0 - down + 3.0 * np.abs(across - 15), 0, 600, CELL, CELL, "EPSG:27700"))
    base = delineate(drainage, [at(drainage, 59, 15)])
    found = subdivide(base, 310 * CELL**2, (0,))
    assert found == [(row, 15) for row in (9, 19, 29, 39, 49)]


def forked():
    """Two streams that meet in row 40: the ground rises 4 m a cell from them, they fall 1 m a row."""
    stream = np.zeros((60, 41), bool)
    for row in range(60):
        aside = 10 if row < 30 else max(40 - row, 0)
        stream[row, [20 - aside, 20 + aside]] = True
    far, (near, _) = distance_transform_edt(~stream, return_indices=True)
    return drain(Grid(200.0 - near + 4.0 * far, 0, 600, CELL, CELL, "EPSG:27700"))


def test_a_confluence_of_two_like_branches_gets_the_outlet_above_it():
    drainage = forked()
    branches = {column: int(drainage.upstream[39, column]) for column in (19, 21)}
    largest = max(branches, key=branches.get)
    _, after, new = divided(drainage, [at(drainage, 59, 20)], 0.9 * sum(branches.values()) * CELL**2, (0,))
    assert (new[0].row, new[0].column) == (39, largest)
    assert after.local_area(1) == branches[largest] * CELL**2


def test_two_branches_that_do_not_make_the_size_are_one_part_that_goes_on():
    drainage = forked()
    both = int(drainage.upstream[39, 19] + drainage.upstream[39, 21])
    _, after, new = divided(drainage, [at(drainage, 59, 20)], 1.1 * both * CELL**2, (0,))
    assert new[0].column == 20
    assert new[0].row > 40
    assert after.local_area(1) >= 1.1 * both * CELL**2


@pytest.mark.parametrize("seed", range(6))
@pytest.mark.parametrize("size", [300, 900])
def test_parts_on_rough_ground_keep_their_sizes_and_their_sum(seed, size):
    drainage = rough(seed)
    foot = np.unravel_index(np.argmax(drainage.upstream), drainage.upstream.shape)
    outlet = at(drainage, int(foot[0]), int(foot[1]))
    base, after, new = divided(drainage, [outlet], size * CELL**2, (0,))
    parts = [after.local_area(1 + i) / CELL**2 for i in range(len(new))]
    assert len(new) >= 1
    assert min(parts) >= 0.5 * size
    assert max(parts) <= 2.0 * size
    whole = sum(after.local_area(i) for i in range(1 + len(new)))
    assert whole == pytest.approx(base.local_area(0), rel=1e-12)


def test_only_the_catchment_asked_for_is_divided():
    drainage = rough(1)
    foot = np.unravel_index(np.argmax(drainage.upstream), drainage.upstream.shape)
    base = delineate(drainage, [at(drainage, int(foot[0]), int(foot[1]))])
    row, column = subdivide(base, 1500 * CELL**2, (0,))[0]
    before = [at(drainage, int(foot[0]), int(foot[1])), at(drainage, row, column)]
    base, after, new = divided(drainage, before, 300 * CELL**2, (1,))
    assert new
    assert all(base.labels[o.row, o.column] == 2 for o in new)
    assert after.local_area(0) == base.local_area(0)


def test_land_above_an_outlet_that_is_there_counts_no_more():
    down, across = np.indices((60, 31))
    drainage = drain(Grid(200.0 - down + 3.0 * np.abs(across - 15), 0, 600, CELL, CELL, "EPSG:27700"))
    base = delineate(drainage, [at(drainage, 59, 15), at(drainage, 24, 15)])
    assert subdivide(base, 310 * CELL**2, (0,)) == [(row, 15) for row in (34, 44, 54)]
    assert subdivide(base, 310 * CELL**2, (0, 1)) == [(row, 15) for row in (9, 19, 34, 44, 54)]


@pytest.mark.parametrize(("size", "said"), [(10 * 100.0, "less than 50 cells"), (float("nan"), "less than 50 cells")])
def test_sizes_that_make_no_parts_are_refused(size, said):
    drainage = rough(2)
    base = delineate(drainage, [at(drainage, 60, 45)])
    with pytest.raises(OutOfRange, match=said):
        subdivide(base, size, (0,))


def test_too_many_parts_are_refused_before_the_work():
    z = np.indices((500, 400))[0].astype(float)
    drainage = drain(Grid(500 - z, 0, 5000, CELL, CELL, "EPSG:27700"))
    base = delineate(drainage, [at(drainage, 499, column) for column in range(400)])
    with pytest.raises(OutOfRange, match="more than 2000 parts"):
        subdivide(base, 50 * 100.0, tuple(range(400)))
