"""Green-Ampt infiltration: against the implicit equation, a fine-step solution, and the soil textures."""

import numpy as np
import pytest
from scipy.integrate import solve_ivp
from scipy.optimize import brentq

from tarnwater.network.elements import Surface
from tarnwater.runoff.losses import GreenAmpt

HOUR = 3600.0
SILT = GreenAmpt(conductivity=6.5, suction=166.8, porosity=0.486, saturation=0.3)
HEAD = 166.8 * 0.7 * 0.486


def infiltrated(loss, rain, step, state=None):
    return (
        np.asarray(rain, float).sum() - loss.respond(np.atleast_2d(np.asarray(rain, float)), step, state).excess.sum()
    )


@pytest.mark.parametrize("hours", [1e-6, 0.01, 1.0, 30.0, 2000.0])
@pytest.mark.parametrize("before", [0.0, 1e-6, 5.0, 400.0])
def test_under_ponding_it_solves_the_implicit_equation(hours, before):
    """F - M ln((F + M) / (F0 + M)) - F0 = K t to 1e-10 of the depth, by a bracketed search of SciPy."""

    def misfit(depth):
        # ln((F + M) / (F0 + M)) by log1p, so that it keeps its digits in a short time
        return depth - before - HEAD * np.log1p((depth - before) / (before + HEAD)) - 6.5 * hours

    exact = brentq(
        misfit, before, before + 6.5 * hours + np.sqrt(2 * HEAD * 6.5 * hours) + 100, xtol=1e-300, rtol=1e-14
    )
    flood = SILT.respond(np.array([[1e12 * hours]]), hours * HOUR, np.array([before]))
    assert flood.state[0] - before == pytest.approx(exact - before, rel=1e-8)
    assert flood.state[0] == pytest.approx(exact, rel=1e-10)


def rate_of_change(intensity):
    def rate(_, depth):
        return [min(intensity, 6.5 * (1 + HEAD / max(depth[0], 1e-12)))]

    return rate


@pytest.mark.parametrize("minutes", [5, 15, 60])
def test_random_rain_gives_what_a_fine_step_solution_gives(minutes):
    rng = np.random.default_rng(minutes)
    rain = rng.gamma(0.5, 9.0 * minutes / 60, size=24 * 60 // minutes // 4)
    depth = 0.0
    for fallen in rain:
        hours = minutes / 60
        found = solve_ivp(
            rate_of_change(fallen / hours), (0, hours), [depth], rtol=1e-10, atol=1e-12, max_step=hours / 200
        )
        depth = float(found.y[0, -1])
    answer = SILT.respond(rain[None, :], minutes * 60.0)
    # the solution steps over the moment of ponding, which costs it about a hundred thousandth
    assert answer.state[0] == pytest.approx(depth, rel=2e-5)
    assert answer.loss[0] == pytest.approx(answer.state[0], rel=1e-12)


def test_rain_up_to_the_conductivity_never_ponds():
    assert infiltrated(SILT, [6.5 / 4] * 4000, 900.0) == pytest.approx(6500.0, rel=1e-12)


def test_half_the_step_gives_the_same_under_even_rain():
    """Three cases a step: ponding begins within one of them at any step."""
    whole = infiltrated(SILT, [30.0] * 6, HOUR)
    assert infiltrated(SILT, [15.0] * 12, HOUR / 2) == pytest.approx(whole, rel=1e-12)
    assert infiltrated(SILT, [0.5] * 360, HOUR / 60) == pytest.approx(whole, rel=1e-11)


def test_filled_ground_takes_its_conductivity_only():
    full = SILT.model_copy(update={"saturation": 1.0})
    assert infiltrated(full, [20.0, 3.0], HOUR) == pytest.approx(6.5 + 3.0)


def test_rain_that_comes_again_goes_on_from_the_depth_so_far():
    first = SILT.respond(np.array([[40.0, 0.0, 0.0]]), HOUR)
    again = SILT.respond(np.array([[40.0]]), HOUR, first.state)
    assert again.loss[0] < first.loss[0]
    assert SILT.respond(np.array([[40.0, 0.0, 0.0, 40.0]]), HOUR).excess[0, 3] == pytest.approx(
        again.excess[0, 0], rel=1e-12
    )


def test_parameters_may_differ_by_case():
    rain = np.random.default_rng(1).gamma(0.6, 20.0, (3, 12))
    values = {"conductivity": np.array([1.0, 6.5, 30.0]), "saturation": np.array([0.0, 0.5, 0.9])}
    together = SILT.respond(rain, HOUR, **values).excess
    for case in range(3):
        alone = GreenAmpt(
            conductivity=values["conductivity"][case], suction=166.8, porosity=0.486,
            saturation=values["saturation"][case],
        )  # fmt: skip
        assert np.array_equal(alone.respond(rain[case : case + 1], HOUR).excess[0], together[case])


def test_a_soil_texture_gives_its_parameters_and_typed_ones_stay():
    surface = Surface(name="field", share=1.0, texture="SILT LOAM", loss=GreenAmpt(suction=200.0)).refreshed()
    assert surface.texture == "Silt loam"
    loss = surface.loss
    assert (loss.conductivity.value, loss.suction.value, loss.porosity.value) == (6.5, 200.0, 0.486)
    assert loss.suction.derived == 166.8
    assert not loss.missing()
    bare = Surface(name="field", share=1.0, loss=GreenAmpt()).refreshed().loss
    assert {m.field for m in bare.missing()} == {"conductivity", "suction", "porosity"}
