"""Long tables of storage thinned within an error that is stated."""

import numpy as np
import pytest

from tarnwater.routing.ponds.forms.thinning import thinned


@pytest.mark.parametrize("error", [0.1, 1.0, 20.0])
def test_every_row_left_out_lies_within_the_error_of_the_lines_between_those_kept(error):
    levels = np.linspace(0.0, 4.0, 401)
    volumes = 30.0 * levels**2.3
    found = thinned(levels, volumes, error)
    kept = list(found.kept)
    off = np.abs(np.interp(levels, levels[kept], volumes[kept]) - volumes)
    assert off.max() <= error
    assert off.max() == pytest.approx(found.error)
    assert (kept[0], kept[-1]) == (0, 400)
    assert len(kept) < 120


def test_a_straight_table_keeps_its_ends_and_no_error_keeps_all_bends():
    levels = np.arange(50.0)
    assert thinned(levels, 3 * levels, 1e-9).kept == (0, 49)
    bent = np.array([0.0, 1.0, 1.5, 5.0, 5.1])
    assert thinned(np.arange(5.0), bent, 0.0).kept == (0, 1, 2, 3, 4)
