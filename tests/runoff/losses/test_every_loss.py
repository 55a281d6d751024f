"""One battery for every loss method: balance, bounds, batches equal to single cases, runs cut in two."""

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from tarnwater.runoff.losses import (
    CurveNumber,
    GreenAmpt,
    Horton,
    InitialConstant,
    InitialProportional,
    Loss,
    NoLoss,
    Proportional,
    RunoffCoefficient,
)

EXAMPLES = {
    CurveNumber: [
        CurveNumber(curve_number=74),
        CurveNumber(curve_number=100),
        CurveNumber(curve_number=1),
        CurveNumber(curve_number=61, antecedent="wet", ratio=0.05),
        CurveNumber(curve_number=61, abstraction=0.0),
        CurveNumber(curve_number=85, recovery=4.0, dry_after=0.0),
        CurveNumber(curve_number=100, recovery=4.0),
    ],
    NoLoss: [NoLoss()],
    Proportional: [Proportional(coefficient=0.3), Proportional(coefficient=0.0), Proportional(coefficient=1.0)],
    InitialProportional: [
        InitialProportional(initial=20.0, coefficient=0.4),
        InitialProportional(initial=20.0, coefficient=0.4, recovery=1.0, dry_after=7200.0),
    ],
    InitialConstant: [
        InitialConstant(initial=12.0, constant=2.5),
        InitialConstant(initial=0.0, constant=0.0),
        InitialConstant(initial=12.0, constant=2.5, recovery=3.0, dry_after=3600.0, dry_below=0.5),
    ],
    Horton: [
        Horton(first=60.0, last=5.0, decay=2.0),
        Horton(first=60.0, last=0.0, decay=2.0),
        Horton(first=8.0, last=8.0, decay=1.0),
        Horton(first=60.0, last=5.0, decay=2.0, recovery=2.0, dry_after=0.0),
    ],
    RunoffCoefficient: [
        RunoffCoefficient(coefficient=0.4).refreshed({}),
        RunoffCoefficient(coefficient=1.0).at_return_period(100.0, 1.25).refreshed({}),
        RunoffCoefficient(return_periods=(5.0, 50.0), coefficients=(0.0, 0.7)).refreshed({}),
    ],
    GreenAmpt: [
        GreenAmpt(conductivity=3.4, suction=89.0, porosity=0.43, saturation=0.3),
        GreenAmpt(conductivity=0.3, suction=316.0, porosity=0.385, saturation=1.0),
        GreenAmpt(conductivity=120.0, suction=49.5, porosity=0.42, saturation=0.0),
    ],
}
STEP = 3600.0
ALL = [loss for losses in EXAMPLES.values() for loss in losses]


def test_every_method_is_in_the_battery():
    assert set(Loss.known.values()) == set(EXAMPLES)


@pytest.mark.parametrize("method", EXAMPLES)
def test_every_method_says_its_equation_and_source(method):
    assert method.title
    assert method.equation
    assert method.source
    assert method.verified
    for _, description in method.quantities():
        assert description.meaning
        assert description.source
        assert description.least is not None or description.above is not None


rains = st.lists(st.one_of(st.just(0.0), st.floats(1e-3, 60.0)), min_size=2, max_size=30)


@settings(deadline=None, max_examples=40)
@given(rains, st.sampled_from(ALL), st.data())
def test_rain_is_loss_and_excess_and_a_cut_changes_nothing(rain, loss, data):
    rain = np.array([rain])
    whole = loss.respond(rain, STEP)
    assert (whole.excess >= 0).all()
    assert (whole.excess <= rain).all()
    # rounding only: depths up to 1800 mm in double precision
    assert whole.excess.sum() + whole.loss[0] + whole.stored[0] == pytest.approx(rain.sum(), abs=1e-9)
    cut = data.draw(st.integers(0, rain.shape[1]))
    first = loss.respond(np.ascontiguousarray(rain[:, :cut]), STEP)
    second = loss.respond(np.ascontiguousarray(rain[:, cut:]), STEP, first.state)
    assert np.concatenate([first.excess, second.excess], axis=1) == pytest.approx(whole.excess, abs=1e-9)


@pytest.mark.parametrize("loss", ALL, ids=str)
def test_a_batch_equals_its_cases_one_by_one(loss):
    rain = np.random.default_rng(2).gamma(0.4, 6.0, (7, 40))
    together = loss.respond(rain, STEP).excess
    for case in range(7):
        assert np.array_equal(loss.respond(rain[case : case + 1], STEP).excess[0], together[case])


@pytest.mark.parametrize("loss", ALL, ids=str)
def test_without_rain_nothing_runs_off(loss):
    assert not loss.respond(np.zeros((1, 5)), STEP).excess.any()


@pytest.mark.parametrize("loss", ALL, ids=str)
def test_whole_millimetres_are_not_cut_to_whole_millimetres_of_excess(loss):
    assert np.array_equal(
        loss.respond(np.array([[50, 7]]), STEP).excess, loss.respond(np.array([[50.0, 7.0]]), STEP).excess
    )
