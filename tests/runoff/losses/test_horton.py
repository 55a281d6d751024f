"""Horton infiltration: the closed form under ponding, and a fine-step solution of the cumulative form."""

import numpy as np
import pytest
from scipy.integrate import solve_ivp
from scipy.optimize import brentq

from tarnwater.errors import EditRefused
from tarnwater.runoff.losses import Horton

HOUR = 3600.0
F0, FC, K = 75.0, 6.0, 3.0
CLAY = Horton(first=F0, last=FC, decay=K)


def depth_at(time):
    return FC * time + (F0 - FC) * (1 - np.exp(-K * time)) / K


def capacity_of(depth):
    """The capacity when a depth has infiltrated, by the time at which ponding would have taken it."""
    time = brentq(lambda t: depth_at(t) - depth, 0, depth / FC + 1, xtol=1e-14, rtol=1e-14)
    return FC + (F0 - FC) * np.exp(-K * time)


def test_under_ponding_it_is_the_closed_form():
    state = CLAY.respond(np.full((1, 5), 500.0), HOUR / 2).state
    assert state[0][0] == pytest.approx(depth_at(2.5), rel=1e-12)


@pytest.mark.parametrize("minutes", [10, 30])
def test_random_rain_gives_what_a_fine_step_solution_gives(minutes):
    rain = np.random.default_rng(minutes).gamma(0.6, 14.0 * minutes / 60, size=20)
    depth, hours = 0.0, minutes / 60
    for fallen in rain:
        found = solve_ivp(
            lambda _, f, i=fallen / hours: [min(i, capacity_of(f[0]))], (0, hours), [depth], rtol=1e-9, atol=1e-10,
            max_step=hours / 60,
        )  # fmt: skip
        depth = float(found.y[0, -1])
    # the solution steps over the moment of ponding
    assert CLAY.respond(rain[None, :], minutes * 60.0).state[0][0] == pytest.approx(depth, rel=2e-4)


def test_light_rain_lowers_the_capacity_by_its_depth_and_not_by_the_clock():
    light = CLAY.respond(np.array([[3.0] * 5]), HOUR)
    assert light.excess.sum() == 0
    heavy = CLAY.respond(np.array([[300.0]]), HOUR, light.state)
    start = brentq(lambda t: depth_at(t) - 15.0, 0, 10, xtol=1e-14)
    assert heavy.loss[0] == pytest.approx(depth_at(start + 1) - 15.0, rel=1e-10)


def test_half_the_step_gives_the_same_under_even_rain():
    whole = CLAY.respond(np.full((1, 4), 25.0), HOUR).excess.sum()
    assert CLAY.respond(np.full((1, 240), 25.0 / 60), 60.0).excess.sum() == pytest.approx(whole, rel=1e-11)


def test_the_infiltrated_depth_shrinks_in_dry_time_beyond_the_typed_one():
    loss = Horton(first=F0, last=FC, decay=K, recovery=2.0, dry_after=3 * HOUR)
    rain = np.zeros((1, 9))
    rain[0, 0] = 60.0
    wet = loss.respond(rain[:, :1], HOUR).state[0][0]
    # eight dry hours, of which five are beyond three
    assert loss.respond(rain, HOUR).state[0][0] == pytest.approx(wet - 10.0)
    long = np.zeros((1, 500))
    assert loss.respond(long, HOUR, loss.respond(rain, HOUR).state).state[0][0] == 0.0


def test_a_capacity_that_rises_is_refused():
    with pytest.raises(EditRefused, match="capacity falls"):
        Horton(first=5.0, last=9.0, decay=1.0)
