"""A grid that is turned or mirrored has the same drainage, and measures do not depend on how it lies."""

import numpy as np
import pytest

from tarnwater.terrain.catchments import delineate
from tarnwater.terrain.drainage import Breaching, drain
from tarnwater.terrain.grid import Grid
from tarnwater.terrain.measures import measure
from tarnwater.terrain.outlets import Snapped

TURNS = [(turn, mirror) for mirror in (False, True) for turn in range(4)]


def turned(z, turn, mirror):
    return np.ascontiguousarray(np.rot90(z[::-1] if mirror else z, turn))


def turned_back(z, turn, mirror):
    back = np.rot90(z, -turn)
    return back[::-1] if mirror else back


def square(z):
    return Grid(z, 0.0, 0.0, 10.0, 10.0, "EPSG:27700")


def rolling(seed, side=60):
    """A rough dome whose heights all differ, with its rim lower than any pit: no two slopes are equal."""
    rng = np.random.default_rng(seed)
    down, across = np.indices((side, side)) - (side - 1) / 2
    z = rng.normal(size=(side, side)).cumsum(0).cumsum(1) + 20 * rng.random((side, side))
    return z - 500 * (np.maximum(np.abs(down), np.abs(across)) / side) ** 4 * 16


@pytest.mark.parametrize(("turn", "mirror"), TURNS)
@pytest.mark.parametrize("seed", [1, 2, 3])
def test_where_there_are_no_ties_drainage_turns_with_the_grid(seed, turn, mirror):
    # cut without limits nothing is filled, so that there are no flats
    cut = Breaching(1e6, 1e6)
    z = rolling(seed)
    base = drain(square(z), breaching=cut)
    other = drain(square(turned(z, turn, mirror)), breaching=cut)
    assert np.array_equal(turned_back(other.upstream, turn, mirror), base.upstream)
    assert np.array_equal(turned_back(other.filled, turn, mirror), base.filled)


def lake_valley(level):
    """A valley with a wide flat, or a lake, across which many ways lead, and a narrow outlet."""
    down, across = np.indices((61, 41))
    z = 60.0 - 0.5 * down + 1.1 * np.abs(across - 20)
    z[20:45, 8:33] = np.minimum(z[20:45, 8:33], level)
    z[45:, 20] = level - 1.0 - 0.1 * np.arange(16)
    return z


@pytest.mark.parametrize("level", [30.0, 35.0])
def test_the_longest_path_over_a_flat_is_the_same_however_the_grid_lies(level):
    z = lake_valley(level)
    foot = np.zeros(z.shape, bool)
    foot[60, 20] = True
    found = []
    for turn, mirror in TURNS:
        drainage = drain(square(turned(z, turn, mirror)))
        ((row, column),) = np.argwhere(turned(foot, turn, mirror)).tolist()
        place = drainage.grid.centre(row, column)
        area = float(drainage.upstream[row, column] * 100.0)
        (measures,) = measure(delineate(drainage, [Snapped(place, place, row, column, 0.0, area, area)]))
        path = measures.longest_path
        found.append((measures.area, path.length, path.slope, path.slope_10_85))
    # lengths of the same steps are summed in another order
    assert np.allclose(found, found[0], rtol=1e-12)


def test_the_longest_path_ends_at_its_outlet_step_by_step():
    drainage = drain(square(lake_valley(30.0)))
    place = drainage.grid.centre(60, 20)
    outlet = Snapped(place, place, 60, 20, 0.0, 1.0, 1.0)
    path = measure(delineate(drainage, [outlet]))[0].longest_path
    steps = np.hypot(*np.diff(path.line, axis=0).T)
    assert tuple(path.line[-1]) == place
    assert set(np.round(steps, 6)) <= {10.0, round(200.0**0.5, 6)}
    assert path.length == pytest.approx(steps.sum(), rel=1e-12)
    assert (np.diff(path.height) <= 0).all()
