"""Losses with a deficit, their recovery in dry spells, shares, and depressions, step by step by hand."""

import numpy as np
import pytest

from tarnwater.network.elements import Surface
from tarnwater.runoff.losses import CurveNumber, InitialConstant, InitialProportional, NoLoss, Proportional
from tarnwater.runoff.losses.curve_number import loss_of_total
from tarnwater.runoff.retention import retention

HOUR = 3600.0


def excess(loss, rain, step=HOUR):
    return loss.respond(np.array([rain], float), step).excess[0].tolist()


def test_the_constant_acts_in_the_rest_of_the_step_in_which_the_initial_is_met():
    loss = InitialConstant(initial=10.0, constant=2.0)
    # 4 mm fill it; of 12 mm the first 6 do, in half an hour; in the other half 1 mm of 6 is lost; then 2 mm of 9
    assert excess(loss, [4, 12, 9, 1, 0]) == pytest.approx([0, 5, 7, 0, 0])
    assert loss.respond(np.array([[4.0, 12, 9, 1, 0]]), HOUR).loss[0] == pytest.approx(14.0)


def test_halved_steps_of_even_rain_lose_the_same():
    loss = InitialConstant(initial=10.0, constant=2.0)
    assert sum(excess(loss, [2, 2, 6, 6, 4.5, 4.5], HOUR / 2)) == pytest.approx(sum(excess(loss, [4, 12, 9])))


def test_the_deficit_recovers_in_dry_time_beyond_the_typed_one_and_never_above_the_initial():
    loss = InitialConstant(initial=10.0, constant=0.0, recovery=1.5, dry_after=2 * HOUR, dry_below=0.1)
    # full after the first hour; dry hours 2 to 6: three of them are beyond two, so that 4.5 mm are missing again
    assert excess(loss, [30, 0, 0, 0, 0.1, 0, 8]) == pytest.approx([20, 0, 0, 0, 0, 0, 3.5 + 0.1])
    long = [30] + [0] * 100 + [12]
    assert excess(loss, long)[-1] == pytest.approx(2.0)
    # rain above the limit ends the dry time
    assert excess(loss, [30, 0, 0, 0.2, 0, 0, 8])[-1] == pytest.approx(8.0)


def test_a_share_runs_off_after_the_initial_loss():
    assert excess(Proportional(coefficient=0.3), [10, 0, 5]) == pytest.approx([3, 0, 1.5])
    assert excess(InitialProportional(initial=12.0, coefficient=0.25), [10, 6, 4]) == pytest.approx([0, 1, 1])


def test_what_a_curve_number_keeps_recovers_by_lowering_the_rain_that_it_is_of():
    loss = CurveNumber(curve_number=80, recovery=2.0, dry_after=0.0)
    s = float(retention(80.0))
    kept = loss_of_total(np.array(40.0), np.array(s), np.array(0.2 * s))
    first = loss.respond(np.array([[40.0]]), HOUR)
    assert first.loss[0] == pytest.approx(float(kept))
    # five dry hours give 10 mm of room back
    dry = loss.respond(np.zeros((1, 5)), HOUR, first.state)
    as_if = float(dry.state[0][0])
    assert loss_of_total(np.array(as_if), np.array(s), np.array(0.2 * s)) == pytest.approx(kept - 10.0)
    again = loss.respond(np.array([[30.0]]), HOUR, dry.state).excess[0, 0]
    assert again < CurveNumber(curve_number=80).respond(np.array([[40.0, 0, 30]]), HOUR).excess[0, 2]
    # and a long dry spell leaves it as it began
    rested = loss.respond(np.zeros((1, 400)), HOUR, first.state)
    assert rested.state[0][0] == 0.0


def test_without_a_rate_a_curve_number_is_the_plain_one_to_the_last_bit():
    rain = np.random.default_rng(5).gamma(0.4, 6.0, (2, 50))
    plain = CurveNumber(curve_number=70).respond(rain, HOUR).excess
    assert np.array_equal(CurveNumber(curve_number=70, dry_after=0.0).respond(rain, HOUR).excess, plain)


def test_depressions_fill_once_and_what_they_hold_is_booked():
    surface = Surface(name="roof", share=1.0, loss=NoLoss(), depression=3.0)
    first = surface.respond(np.array([[2.0, 4.0, 1.0]]), HOUR)
    assert first.excess[0].tolist() == [0.0, 3.0, 1.0]
    assert first.stored[0] == 3.0
    again = surface.respond(np.array([[2.0]]), HOUR, first.state)
    assert again.excess[0].tolist() == [2.0]
    assert again.stored[0] == 3.0
