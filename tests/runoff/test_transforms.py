"""Unit hydrographs hold one unit of water at any step; convolution can be cut anywhere."""

import numpy as np
import pytest
from scipy import integrate, signal

from tarnwater.runoff.transforms import NrcsUnitHydrograph, convolve
from tarnwater.runoff.transforms.nrcs import dimensionless_curve, gamma_exponent

STEPS = (60, 120, 300, 600, 900, 1800, 3600)
FACTORS = (100, 200, 300, 484, 600)


@pytest.mark.parametrize("step", STEPS)
@pytest.mark.parametrize("factor", FACTORS)
def test_every_unit_hydrograph_holds_one_unit(step, factor):
    for lag in (300.0, 3000.0, 40_000.0):
        unit = NrcsUnitHydrograph(peak_rate_factor=factor).unit_hydrograph(2.5e6, lag, step)
        assert unit.volumes.sum() == pytest.approx(2500.0, rel=1e-12)
        assert (unit.ordinates >= 0).all()


def test_the_printed_table_integrates_to_a_factor_of_483():
    times, flows = dimensionless_curve()
    assert 1936 / 3 / integrate.trapezoid(flows, times) == pytest.approx(483, abs=0.5)


@pytest.mark.parametrize("factor", FACTORS)
def test_the_gamma_form_has_the_peak_rate_factor_asked_for(factor):
    m = gamma_exponent(factor)
    area, _ = integrate.quad(lambda x: (x * np.exp(1 - x)) ** m, 0, np.inf)
    assert 1936 / 3 / area == pytest.approx(factor, rel=1e-9)


def test_the_table_and_the_gamma_form_at_its_factor_are_close():
    table = NrcsUnitHydrograph().unit_hydrograph(1e6, 3600.0, 300.0)
    gamma = NrcsUnitHydrograph(peak_rate_factor=483.9).unit_hydrograph(1e6, 3600.0, 300.0)
    assert (table.curve, gamma.curve) == ("printed table", "gamma form")
    assert gamma.ordinates.max() == pytest.approx(table.ordinates.max(), rel=0.01)


@pytest.mark.parametrize("factor", FACTORS)
@pytest.mark.parametrize("rain_minutes", [60, 180])
def test_the_peak_changes_by_less_than_one_per_cent_between_steps_up_to_the_duration(factor, rain_minutes):
    # D = 2/9 lag = 15 min; every step divides the rain
    lag, peaks = 4050.0, []
    for step in (60, 120, 300, 900):
        unit = NrcsUnitHydrograph(peak_rate_factor=factor).unit_hydrograph(5e6, lag, step)
        assert unit.inner == 1
        steps = rain_minutes * 60 // step
        peaks.append(convolve(np.full((1, steps), 30.0 / steps), unit, 24 * 3600 // step).hydrograph.flow.max())
    assert max(peaks) / min(peaks) < 1.01


def test_the_duration_is_the_unit_hydrographs_own_and_never_the_step():
    for step in STEPS:
        unit = NrcsUnitHydrograph().unit_hydrograph(3e6, 2700.0, step)
        assert unit.duration == pytest.approx(600.0)
        assert unit.time_to_peak == pytest.approx(3000.0)
        assert step / unit.inner <= unit.duration * (1 + 1e-9)


def test_a_typed_duration_is_taken():
    unit = NrcsUnitHydrograph(duration=900.0).unit_hydrograph(3e6, 2700.0, 300.0)
    assert (unit.duration, unit.time_to_peak) == (900.0, 3150.0)


def test_nothing_flows_at_the_start_of_the_rain():
    # what the curve's move brings to before the rain is left out, and the volume is whole all the same
    unit = NrcsUnitHydrograph(peak_rate_factor=100).unit_hydrograph(3e6, 2700.0, 60.0)
    flow = convolve(np.array([[1.0]]), unit, 10).hydrograph.flow[0]
    assert flow[0] == 0.0
    assert unit.scale != 1.0


def test_above_its_duration_the_response_is_gathered_from_inner_steps():
    unit = NrcsUnitHydrograph().unit_hydrograph(3e6, 2700.0, 1800.0)
    fine = NrcsUnitHydrograph().unit_hydrograph(3e6, 2700.0, 600.0)
    flow = convolve(np.full((1, 3), 1 / 3), fine, 60).hydrograph.flow[0]
    assert unit.inner == 3
    assert unit.ordinates == pytest.approx(flow[3 : 3 * len(unit.ordinates) + 1 : 3], rel=1e-12)


@pytest.fixture
def unit():
    return NrcsUnitHydrograph().unit_hydrograph(3e6, 2700.0, 600.0)


def test_convolution_equals_that_of_another_library(unit):
    excess = np.random.default_rng(1).gamma(0.4, 2.0, (3, 50))
    flow = convolve(excess, unit, 120).hydrograph.flow
    for case in range(3):
        whole = np.convolve(excess[case], unit.ordinates)
        assert flow[case, 1 : len(whole) + 1] == pytest.approx(whole[:120], rel=1e-12)
        assert signal.lfilter(unit.ordinates, [1.0], excess[case]) == pytest.approx(flow[case, 1:51], rel=1e-12)


@pytest.mark.parametrize("step", [300.0, 600.0, 1800.0])
@pytest.mark.parametrize("cut", [0, 1, 7, 30, 49])
def test_a_run_cut_in_two_equals_the_run_in_one_piece(step, cut):
    unit = NrcsUnitHydrograph().unit_hydrograph(3e6, 2700.0, step)
    excess = np.random.default_rng(cut).gamma(0.4, 2.0, (2, 50))
    whole = convolve(excess, unit, 50)
    first = convolve(excess[:, :cut], unit, cut)
    second = convolve(excess[:, cut:], unit, 50 - cut, first.state)
    joined = np.concatenate([first.hydrograph.flow, second.hydrograph.flow[:, 1:]], axis=1)
    assert joined == pytest.approx(whole.hydrograph.flow, abs=1e-12)
    volumes = np.concatenate([first.hydrograph.volume, second.hydrograph.volume], axis=1)
    assert volumes == pytest.approx(whole.hydrograph.volume, abs=1e-9)
    assert second.state[1].sum() == pytest.approx(whole.state[1].sum(), rel=1e-12)


def test_batches_of_one_step_equal_the_run(unit):
    excess = np.random.default_rng(9).gamma(0.4, 2.0, (1, 40))
    whole = convolve(excess, unit, 60).hydrograph.flow[0]
    state, stepwise = None, [0.0]
    for step in range(60):
        answer = convolve(excess[:, step : step + 1], unit, 1, state)
        state = answer.state
        stepwise.append(answer.hydrograph.flow[0, 1])
    assert stepwise == pytest.approx(list(whole), abs=1e-12)


def test_a_long_record_goes_by_fourier_transforms_to_the_same_answer(unit, monkeypatch):
    excess = np.random.default_rng(4).gamma(0.1, 2.0, (2, 3000))
    direct = convolve(excess, unit, 3000).hydrograph.flow
    monkeypatch.setattr("tarnwater.runoff.transforms.convolution.LONG_RECORD", 1000)
    # rounding of transforms of some thousand values
    assert convolve(excess, unit, 3000).hydrograph.flow == pytest.approx(direct, abs=1e-9 * direct.max())


def test_what_has_not_yet_run_off_is_in_the_state(unit):
    excess = np.array([[5.0, 10.0, 0.0, 2.0]])
    answer = convolve(excess, unit, 4)
    assert answer.hydrograph.total[0] + answer.state[1].sum() == pytest.approx(17.0 * 3000.0, rel=1e-12)


def test_no_excess_gives_no_flow(unit):
    assert not convolve(np.zeros((2, 10)), unit, 20).hydrograph.flow.any()
