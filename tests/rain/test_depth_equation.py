"""Equations of intensity, duration and return period: by hand, fitted, and read like a table."""

import numpy as np
import pytest

from tarnwater.errors import OutOfRange, TableError
from tarnwater.rain.depth_equation import DepthEquation, fitted_to
from tarnwater.rain.depth_table import DepthTable
from tarnwater.rain.depths import period_of_peaks
from tarnwater.rain.equations import (
    Equation,
    LogPolynomial,
    Power,
    PowerAndConstant,
    PowerAndConstantOfPeriod,
    ShiftedPower,
    ShiftedPowerOfPeriod,
)

MINUTE, HOUR = 60.0, 3600.0
DURATIONS = np.array([300, 600, 900, 1800, 3600, 7200, 21600, 86400.0])
PERIODS = (2.0, 10.0, 100.0)

#: Each form with rows of coefficients, and its intensity in mm/h at 20 min and 10 years worked by hand.
BY_HAND = [
    (ShiftedPower, ((700, 10, 0.75), (1000, 10, 0.75), (1500, 11, 0.76)), 1000 / 30**0.75),
    (PowerAndConstant, ((900, 0.9, 6), (1300, 0.9, 6), (1900, 0.92, 7)), 1300 / (20**0.9 + 6)),
    (ShiftedPowerOfPeriod, ((650, 0.2, 10, 0.75),), 650 * 10**0.2 / 30**0.75),
    (PowerAndConstantOfPeriod, ((800, 0.2, 0.9, 6),), 800 * 10**0.2 / (20**0.9 + 6)),
    (Power, ((180, -0.55), (260, -0.56), (390, -0.57)), 260 * 20**-0.56),
    (
        LogPolynomial,
        ((4.9, -0.3, -0.05, 0.001), (5.3, -0.3, -0.05, 0.001), (5.7, -0.3, -0.05, 0.001)),
        np.exp(5.3 - 0.3 * np.log(20) - 0.05 * np.log(20) ** 2 + 0.001 * np.log(20) ** 3),
    ),
]
IDS = [form.tag() for form, _, _ in BY_HAND]


@pytest.mark.parametrize(("form", "rows", "intensity"), BY_HAND, ids=IDS)
def test_the_depth_is_the_intensity_by_hand_times_the_duration(form, rows, intensity):
    depths = DepthEquation(equation=form(coefficients=rows, return_periods=PERIODS))
    assert float(depths.depth(20 * MINUTE, 10.0)) == pytest.approx(intensity / 3, rel=1e-12)
    assert depths.told == "as published"


@pytest.mark.parametrize(("form", "rows", "intensity"), BY_HAND, ids=IDS)
def test_units_of_duration_and_intensity_are_those_stated(form, rows, intensity):
    hours = form(coefficients=rows, return_periods=PERIODS, duration_unit="h", intensity_unit="in/h")
    # twenty hours in the place of twenty minutes, inches in the place of millimetres
    assert float(hours.depth(np.array(20 * HOUR), 10.0)) == pytest.approx(intensity * 25.4 * 20, rel=1e-12)


@pytest.mark.parametrize(("form", "rows", "intensity"), BY_HAND, ids=IDS)
def test_a_fit_gives_the_equation_back_that_made_the_depths(form, rows, intensity):
    made = form(coefficients=rows, return_periods=PERIODS)
    depths = np.array([made.depth(DURATIONS, t) for t in PERIODS]).T
    found = form.fitted(DURATIONS, PERIODS, depths)
    again = np.array([found.depth(DURATIONS, t) for t in PERIODS]).T
    # the coefficients of some forms nearly stand for each other; the depths do not
    assert again == pytest.approx(depths, rel=1e-6)
    if form is not LogPolynomial:
        assert np.array(found.coefficients) == pytest.approx(np.array(rows, float), rel=2e-3)


TABLE = DepthTable(
    durations=tuple(DURATIONS),
    return_periods=PERIODS,
    depths=tuple(
        tuple(9.0 * (d / 900) ** 0.42 * g for g in (1.0, 1.6, 2.7)) for d in DURATIONS
    ),
    source="invented",
)  # fmt: skip


@pytest.mark.parametrize("form", [form for form, _, _ in BY_HAND], ids=IDS)
def test_residuals_are_shares_of_the_points_and_the_greatest_is_named(form):
    found = fitted_to(form, TABLE)
    depths = np.array([found.equation.depth(DURATIONS, t) for t in PERIODS]).T
    shares = depths / np.array(TABLE.depths) - 1
    assert np.array(found.residuals) == pytest.approx(shares, abs=1e-12)
    duration, period, worst = found.greatest_residual
    assert abs(worst) == pytest.approx(np.abs(shares).max())
    assert shares[list(DURATIONS).index(duration), PERIODS.index(period)] == pytest.approx(worst)
    # no form misses a table of this shape by more than a fifth
    assert abs(worst) < 0.2


def test_a_power_is_fitted_as_the_straight_line_of_the_logarithms():
    found = fitted_to(Power, TABLE).equation
    slope, intercept = np.polyfit(np.log(DURATIONS / 60), np.log(np.array(TABLE.depths)[:, 1] / (DURATIONS / HOUR)), 1)
    assert found.coefficients[1] == pytest.approx((np.exp(intercept), slope), rel=1e-6)


def test_storms_are_made_by_the_fit_or_by_the_points_as_a_person_chooses():
    found = fitted_to(ShiftedPower, TABLE)
    assert found.told == "as fitted"
    typed = found.model_copy(update={"read": "points"})
    assert typed.told == "as typed"
    assert float(typed.depth(1000.0, 10.0)) == float(TABLE.depth(1000.0, 10.0))
    assert typed.listed == TABLE.depths
    assert float(found.depth(1000.0, 10.0)) != float(TABLE.depth(1000.0, 10.0))


def test_beyond_its_range_an_equation_is_read_only_where_that_is_allowed():
    found = fitted_to(ShiftedPower, TABLE)
    with pytest.raises(OutOfRange, match="the depths end at 24 h"):
        found.depth(2 * 86400.0, 10.0)
    with pytest.raises(OutOfRange, match="1 in 500 was asked for"):
        found.depth(HOUR, 500.0)
    beyond = found.model_copy(update={"extrapolate": True})
    a, b, c = found.equation.coefficients[1]
    assert float(beyond.depth(2 * 86400.0, 10.0)) == pytest.approx(a / (2880 + b) ** c * 48, rel=1e-12)


def test_below_the_shortest_duration_the_first_depth_is_spread_evenly():
    found = fitted_to(ShiftedPower, TABLE)
    assert float(found.depth(100.0, 10.0)) == pytest.approx(float(found.depth(300.0, 10.0)) / 3)
    assert float(found.depth(0.0, 10.0)) == 0


def test_between_return_periods_intensities_are_read_on_the_reduced_variate():
    found = fitted_to(Power, TABLE)
    y = [-np.log(-np.log(1 - 1 / t)) for t in (10, 30, 100)]
    share = (y[1] - y[0]) / (y[2] - y[0])
    ends = [float(found.depth(HOUR, t)) for t in (10.0, 100.0)]
    assert float(found.depth(HOUR, 30.0)) == pytest.approx(ends[0] + share * (ends[1] - ends[0]), rel=1e-12)


def test_return_periods_of_peaks_over_a_threshold_are_converted():
    made = ShiftedPowerOfPeriod(coefficients=((650, 0.2, 10, 0.75),), return_periods=PERIODS)
    peaks = DepthEquation(equation=made, series="peaks over threshold")
    annual = peaks.annual_periods[0]
    assert annual == pytest.approx(1 / (1 - np.exp(-0.5)))
    assert float(peaks.depth(HOUR, annual)) == pytest.approx(float(made.depth(np.array(HOUR), 2.0)))
    assert float(peaks.depth(HOUR, 20.0)) == pytest.approx(float(made.depth(np.array(HOUR), period_of_peaks(20.0))))


@pytest.mark.parametrize(("form", "rows", "intensity"), BY_HAND, ids=IDS)
@pytest.mark.parametrize("asked", [(1200.0, 10.0), (1200.0, 40.0), (100.0, 40.0)])
def test_the_reckoning_of_a_depth_gives_it_from_its_own_figures(form, rows, intensity, asked):
    depths = DepthEquation(equation=form(coefficients=rows, return_periods=PERIODS))
    reading = depths.reading(*asked)
    again = reading.evaluate(*(term.value for term in reading.terms))
    assert again == pytest.approx(float(depths.depth(*asked)), rel=1e-12)
    assert form.equation[4:] in reading.equation


@pytest.mark.parametrize(
    ("fields", "what"),
    [
        ({"coefficients": ((1, 2),), "return_periods": (2.0,)}, "each row needs a, b, c"),
        ({"coefficients": ((1, 2, 3),), "return_periods": (2.0, 5.0)}, "needs 2 rows"),
        ({"coefficients": ((1, 2, 3),), "return_periods": ()}, "must rise"),
        ({"coefficients": ((1, 2, 3),), "return_periods": (0.5,)}, "above 1 year"),
    ],
)
def test_equations_that_are_none_are_refused(fields, what):
    with pytest.raises(TableError, match=what):
        ShiftedPower(**fields)


def test_coefficients_that_give_no_rain_are_refused():
    with pytest.raises(TableError, match="no rain has"):
        DepthEquation(equation=ShiftedPower(coefficients=((-700, 10, 0.75),), return_periods=(2.0,)))
    with pytest.raises(TableError, match="no rain has"):
        DepthEquation(equation=ShiftedPower(coefficients=((700, -60, 0.75),), return_periods=(2.0,)))


def test_too_few_depths_for_a_form_are_refused():
    small = DepthTable(durations=(300.0, 600.0), return_periods=(2.0,), depths=((5.0,), (7.0,)))
    with pytest.raises(TableError, match="too few to fit 3"):
        fitted_to(ShiftedPower, small)


def test_every_form_is_tried_here():
    assert set(Equation.known.values()) == {form for form, _, _ in BY_HAND}
