"""First storage from a hydrograph under an allowed release, against triangles in closed form."""

import numpy as np
import pytest

from tarnwater.routing.first_storage import storage_above

STEP, PEAK, RISE, FALL = 60.0, 2.0, 60, 120


def triangle():
    up = np.linspace(0.0, PEAK, RISE + 1)
    return np.concatenate([up, np.linspace(PEAK, 0.0, FALL + 1)[1:], np.zeros(50)])


@pytest.mark.parametrize("allowed", [0.3, 1.0, 1.7])
def test_a_constant_release_leaves_the_triangle_above_it(allowed):
    base = STEP * (RISE + FALL)
    assert storage_above(triangle(), STEP, allowed, "constant") == pytest.approx(
        0.5 * base * PEAK * (1 - allowed / PEAK) ** 2, rel=1e-9
    )


@pytest.mark.parametrize("allowed", [0.3, 1.0, 1.7])
def test_a_rising_release_leaves_what_lies_above_its_line(allowed):
    whole = 0.5 * STEP * (RISE + FALL) * PEAK
    # the line runs from the begin to where the falling limb has fallen to the release
    until = STEP * (RISE + FALL * (1 - allowed / PEAK))
    after = 0.5 * STEP * FALL * (allowed / PEAK) * allowed
    expected = whole - after - 0.5 * until * allowed
    assert storage_above(triangle(), STEP, allowed, "rising") == pytest.approx(expected, rel=1e-9)


def test_a_release_above_the_flood_needs_nothing_and_no_release_all_of_it():
    assert storage_above(triangle(), STEP, PEAK, "constant") == 0.0
    assert storage_above(triangle(), STEP, 0.0, "constant") == pytest.approx(0.5 * STEP * (RISE + FALL) * PEAK)


def test_a_flood_that_ends_above_the_release_counts_to_its_end():
    flow = np.full(11, 3.0)
    assert storage_above(flow, STEP, 1.0, "constant") == pytest.approx(2.0 * 10 * STEP)
