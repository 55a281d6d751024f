"""Curve number: ranges, conditions, conversion, parameters by case."""

import numpy as np
import pytest

from tarnwater.errors import OutOfRange
from tarnwater.runoff.losses import CurveNumber
from tarnwater.runoff.losses.curve_number import (
    antecedent_curve_number,
    curve_number_for_ratio,
    excess_of_total,
    retention,
)


@pytest.mark.parametrize("number", [0, 101, -5])
def test_a_curve_number_out_of_range_is_refused(number):
    with pytest.raises(OutOfRange, match="at least 1 and at most 100"):
        CurveNumber(curve_number=number)


def test_curve_number_100_without_rain_gives_nothing_and_no_division_by_zero():
    with np.errstate(all="raise"):
        assert CurveNumber(curve_number=100).respond(np.zeros((1, 3)), 3600.0).excess.sum() == 0
        assert excess_of_total(np.zeros(1), np.zeros(1), np.zeros(1)) == 0


def test_curve_number_100_lets_all_rain_run_off():
    rain = np.array([[0.0, 3.0, 0.5]])
    assert np.array_equal(CurveNumber(curve_number=100).respond(rain, 3600.0).excess, rain)


@pytest.mark.parametrize(("number", "dry", "wet"), [(75, 55.75, 87.34), (100, 100, 100), (60, 38.65, 77.53)])
def test_antecedent_conditions_follow_the_handbook(number, dry, wet):
    assert antecedent_curve_number(number, "dry") == pytest.approx(dry, abs=0.01)
    assert antecedent_curve_number(number, "average") == number
    assert antecedent_curve_number(number, "wet") == pytest.approx(wet, abs=0.01)


def test_the_abstraction_follows_the_curve_number_unless_typed():
    derived = CurveNumber(curve_number=80).refreshed({})
    assert derived.abstraction.value == pytest.approx(0.2 * retention(80))
    held = CurveNumber(curve_number=80, abstraction=5.0).refreshed({})
    assert held.abstraction.value == 5.0
    assert held.abstraction.derived == pytest.approx(0.2 * retention(80))


def test_a_typed_abstraction_governs_the_excess():
    rain = np.array([[30.0]])
    s = retention(80)
    assert CurveNumber(curve_number=80, abstraction=5.0).respond(rain, 3600.0).excess[0, 0] == pytest.approx(
        25**2 / (25 + s)
    )


def test_parameters_may_differ_by_case():
    rain = np.random.default_rng(3).gamma(0.5, 8.0, (4, 30))
    numbers = np.array([55.0, 70.0, 85.0, 98.0])
    together = CurveNumber(curve_number=1).respond(rain, 3600.0, curve_number=numbers).excess
    for case, number in enumerate(numbers):
        alone = CurveNumber(curve_number=number).respond(rain[case : case + 1], 3600.0).excess[0]
        assert np.array_equal(together[case], alone)


def test_converting_for_another_ratio_lowers_low_numbers_most():
    # S05 = 1.33 S20^1.15 in inches: CN 70 has S = 4.2857, S05 = 7.090, CN 58.51
    assert curve_number_for_ratio(70) == pytest.approx(58.51, abs=0.01)
    assert curve_number_for_ratio(100) == 100
