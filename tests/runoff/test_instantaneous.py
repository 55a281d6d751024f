"""Transforms by an instantaneous response: closed forms, fine-step solutions, unit volume at any step."""

import numpy as np
import pytest
from pydantic import ValidationError
from scipy import integrate, stats

from tarnwater.runoff.transforms import Cascade, Clark, TriangularUnitHydrograph, convolve
from tarnwater.runoff.transforms.clark import synthetic_area

AREA, LAG = 3e6, 3600.0
ALL = [
    Clark(storage=2400.0), Clark(storage=0.0), Clark(storage=9000.0, time_shares=(0, 0.2, 1), area_shares=(0, 0.5, 1)),
    Cascade(), Cascade(count=1.0), Cascade(count=5.5, storage=700.0),
    TriangularUnitHydrograph(), TriangularUnitHydrograph(base_ratio=1.5),
]  # fmt: skip


@pytest.mark.parametrize("step", [60.0, 300.0, 900.0, 3600.0])
@pytest.mark.parametrize("transform", ALL, ids=str)
def test_every_unit_hydrograph_holds_one_unit(transform, step):
    unit = transform.unit_hydrograph(AREA, LAG, step)
    assert unit.volumes.sum() == pytest.approx(0.001 * AREA, rel=1e-12)
    assert (unit.ordinates >= 0).all()
    # what is cut off is a millionth
    assert unit.scale == pytest.approx(1.0, abs=2e-6)


@pytest.mark.parametrize("transform", ALL, ids=str)
def test_ordinates_do_not_depend_on_the_step(transform):
    """An hour of even rain in steps of 5 min and of 1 h gives the same flow at the hours."""
    fine, coarse = (transform.unit_hydrograph(AREA, LAG, step) for step in (300.0, 3600.0))
    by_fine = convolve(np.full((1, 12), 1 / 12), fine, 12 * len(coarse.ordinates)).hydrograph
    by_coarse = convolve(np.array([[1.0]]), coarse, len(coarse.ordinates)).hydrograph
    # both leave out a millionth of the water, which scales them
    assert by_coarse.flow[0] == pytest.approx(by_fine.flow[0, ::12], abs=5e-6 * by_fine.flow.max())
    hourly = by_fine.volume[0].reshape(-1, 12).sum(axis=1)
    # trapezoids of inner steps of a tenth of the lag, against those of 5 min
    assert by_coarse.volume[0] == pytest.approx(hourly, abs=2e-3 * hourly.max())


def test_a_cascade_is_the_gamma_distribution():
    gamma = stats.gamma(3.0, scale=1800.0)
    unit = Cascade().unit_hydrograph(AREA, LAG, 600.0)
    times = 600.0 * np.arange(1, len(unit.ordinates) + 1)
    expected = 0.001 * AREA * (gamma.cdf(times) - gamma.cdf(times - 600.0)) / 600.0
    # the last millionth leaves with the rest, in the last step
    assert unit.ordinates[:-2] == pytest.approx(expected[:-2], rel=2e-6)


def test_a_cascade_peaks_after_the_lag():
    unit = Cascade(count=4.0).unit_hydrograph(AREA, LAG, 10.0)
    # the response to 10 s of rain peaks half of them later
    assert unit.time_to_peak == pytest.approx(LAG + 5.0, abs=10.0)
    assert Cascade(count=4.0).refreshed(LAG).storage.derived == pytest.approx(1200.0)


def test_reservoirs_in_series_by_a_fine_step_solution():
    storage = 1800.0

    def change(_, volumes):
        out = volumes / storage
        return np.concatenate([[-out[0]], out[:-1] - out[1:]])

    found = integrate.solve_ivp(change, (0, 9000), [1.0, 0, 0], rtol=1e-10, atol=1e-12, t_eval=[1800, 5400, 9000])
    left = Cascade().left(np.array([1800.0, 5400.0, 9000.0]), LAG)
    assert left == pytest.approx(1 - found.y.sum(axis=0), abs=1e-8)


def test_without_storage_the_time_area_curve_itself_leaves():
    shares = np.array([0.1, 0.5, 0.8, 1.0])
    left = Clark(storage=0.0).left(shares * LAG / 0.6, LAG)
    assert left == pytest.approx(synthetic_area(shares), abs=1e-12)


@pytest.mark.parametrize("curve", [(), ((0.0, 0.3, 0.6, 1.0), (0.0, 0.1, 0.7, 1.0))])
def test_a_reservoir_fed_by_the_areas_by_a_fine_step_solution(curve):
    given = {"time_shares": curve[0], "area_shares": curve[1]} if curve else {}
    clark, concentration, store = Clark(storage=2400.0, **given), LAG / 0.6, 2400.0
    times, areas = clark.areas

    def change(t, volume):
        at = min(t / concentration, 1.0)
        here = np.searchsorted(times, at, side="right")
        inflow = 0.0
        if at < 1:
            inflow = (areas[here] - areas[here - 1]) / (times[here] - times[here - 1]) / concentration
        return [inflow - volume[0] / store]

    at = np.array([900.0, 3600.0, 6000.0, 12_000.0])
    found = integrate.solve_ivp(change, (0, 12_000), [0.0], rtol=1e-9, atol=1e-12, t_eval=at, max_step=20.0)
    arrived = np.interp(np.minimum(at / concentration, 1.0), times, areas)
    # the solution steps over the corners of the areas
    assert clark.left(at, LAG) == pytest.approx(arrived - found.y[0], abs=2e-5)


def test_the_triangle_has_its_area_peak_and_base():
    unit = TriangularUnitHydrograph().unit_hydrograph(AREA, LAG, 10.0)
    assert len(unit.ordinates) * 10.0 == pytest.approx(8 / 3 * LAG, abs=20.0)
    # 2 V / base, at the lag; ten seconds of rain round it off
    assert unit.ordinates.max() == pytest.approx(2 * 0.001 * AREA / (8 / 3 * LAG), rel=3e-3)
    assert unit.time_to_peak == pytest.approx(LAG, abs=10.0)


@pytest.mark.parametrize(
    ("times", "areas"),
    [((0, 1), (0, 0.5, 1)), ((0, 0.5, 0.5, 1), (0, 0.2, 0.4, 1)), ((0.1, 1), (0, 1)), ((0, 0.5, 1), (0, 0.9, 0.8))],
)
def test_a_time_area_curve_that_is_none_is_refused(times, areas):
    with pytest.raises(ValidationError):
        Clark(storage=600.0, time_shares=times, area_shares=areas)


def test_a_cut_run_equals_the_run_in_one_piece():
    unit = Clark(storage=2400.0).unit_hydrograph(AREA, LAG, 900.0)
    assert unit.inner == 3
    excess = np.random.default_rng(1).gamma(0.4, 3.0, (2, 40))
    whole = convolve(excess, unit, 40)
    first = convolve(excess[:, :13], unit, 13)
    second = convolve(excess[:, 13:], unit, 27, first.state)
    joined = np.concatenate([first.hydrograph.volume, second.hydrograph.volume], axis=1)
    assert joined == pytest.approx(whole.hydrograph.volume, abs=1e-9)
