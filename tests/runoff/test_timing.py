"""Lag and time of concentration by equation, and which of the two leads."""

import pytest

from tarnwater.network.elements import Catchment, Surface
from tarnwater.parameters import derived
from tarnwater.runoff.losses import CurveNumber
from tarnwater.runoff.timing import Kirpich, Measures, NrcsLag, kirpich, nrcs_lag


def test_the_nrcs_lag_equals_the_equation_in_feet_and_inches():
    # lag[h] = l^0.8 (S + 1)^0.7 / (1900 Y^0.5), l in ft, S in inches, Y in per cent
    feet, number, per_cent = 5000.0, 75.0, 4.0
    hours = feet**0.8 * (1000 / number - 10 + 1) ** 0.7 / (1900 * per_cent**0.5)
    # 734.4 is 1900 x 0.3048^0.8 rounded to four figures
    assert nrcs_lag(feet * 0.3048, number, per_cent / 100) / 3600 == pytest.approx(hours, rel=1e-3)


def test_kirpich_equals_the_equation_in_feet():
    # Tc[min] = 0.0078 l^0.77 S^-0.385, l in ft; 0.0195 is rounded to three figures
    assert kirpich(1000 * 0.3048, 0.01) / 60 == pytest.approx(0.0078 * 1000**0.77 * 0.01**-0.385, rel=3e-3)


def test_a_missing_input_gives_no_time():
    assert NrcsLag().derive(Measures(1000.0, None, None, 75.0)) is None
    assert Kirpich().derive(Measures(None, 0.02, None, None)) is None


def catchment(**fields):
    surfaces = (Surface(share=1.0, loss=CurveNumber(curve_number=75)),)
    whole = {"flow_length": 2000.0, "path_slope": 0.03, "mean_slope": 0.08, "surfaces": surfaces} | fields
    return Catchment(name="one", **whole).refreshed()


@pytest.mark.parametrize("slope", [0.0, 0.00004])
def test_a_derived_slope_below_a_hundredth_of_a_per_cent_is_raised_to_it(slope):
    found = catchment(timing=Kirpich(), path_slope=derived(slope))
    assert found.concentration.value == pytest.approx(kirpich(2000.0, 0.0001))
    assert found.path_slope.value == slope


def test_a_typed_slope_is_never_replaced():
    gentle = catchment(timing=NrcsLag(), mean_slope=0.0004)
    assert gentle.lag.value == pytest.approx(nrcs_lag(2000.0, 75.0, 0.0004))
    least = catchment(timing=Kirpich(), path_slope=0.00001)
    assert least.concentration.value == pytest.approx(kirpich(2000.0, 0.00001))


def test_the_method_leads_and_the_other_time_follows():
    by_lag = catchment(timing=NrcsLag())
    assert by_lag.lag_leads
    assert by_lag.concentration.value == pytest.approx(by_lag.lag.value / 0.6)
    by_concentration = catchment(timing=Kirpich())
    assert not by_concentration.lag_leads
    assert by_concentration.lag.value == pytest.approx(0.6 * by_concentration.concentration.value)


def test_a_typed_time_leads_and_the_derived_one_stays_beside_it():
    found = catchment(timing=NrcsLag(), lag=1800.0)
    assert found.lag.value == 1800.0
    assert found.lag.derived == pytest.approx(nrcs_lag(2000.0, 75.0, 0.08))
    assert found.concentration.value == pytest.approx(3000.0)
    assert catchment(timing=NrcsLag(), concentration=3000.0).lag.value == pytest.approx(1800.0)
