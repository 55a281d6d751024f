"""Fits with their limits, tests of a fit and of a trend, and curves that do not cross."""

import numpy as np
import pytest
import scipy.stats as reference
from hypothesis import given, settings
from hypothesis import strategies as st

from tarnwater.errors import OutOfRange
from tarnwater.progress import Progress
from tarnwater.rain.frequency.distributions import (
    Distribution,
    GeneralisedExtremeValue,
    GeneralisedPareto,
    Gumbel,
    LogNormal,
    LogPearsonThree,
)
from tarnwater.rain.frequency.fits import (
    bootstrap_quantiles,
    by_l_moments,
    doubtful_periods,
    fit,
    limits,
    ordered_draws,
)
from tarnwater.rain.frequency.goodness import anderson_darling, goodness, mann_kendall, plot_correlation
from tarnwater.rain.frequency.growth import depth_frequency, rising
from tarnwater.rain.frequency.plotting import POSITIONS

GEV = GeneralisedExtremeValue()
SAMPLE = reference.genextreme.rvs(-0.1, 30, 8, size=40, random_state=np.random.default_rng(5))
PERIODS = (2.0, 10.0, 100.0)


def test_draws_in_order_are_those_of_a_sorted_sample():
    draws = ordered_draws(40_000, 6, 1)
    assert (np.diff(draws, axis=1) > 0).all()
    # the i-th least of n has the mean of its uniform probability i / (n + 1); 40,000 draws give it to 0.001
    assert np.exp(-np.exp(-draws)).mean(axis=0) == pytest.approx(np.arange(1, 7) / 7, abs=0.004)


def test_limits_hold_as_many_samples_as_they_say():
    """The quantiles of samples drawn another way lie within the limits as often as stated."""
    one = fit(GEV, SAMPLE)
    band = limits([one], PERIODS, level=0.9, draws=4000)
    rng = np.random.default_rng(9)
    again = [
        fit(GEV, reference.genextreme.rvs(one.parameters[2], *one.parameters[:2], size=40, random_state=rng))
        for _ in range(1500)
    ]
    found = np.array([f.quantile(np.array(PERIODS)) for f in again])
    inside = ((found >= band.low[0]) & (found <= band.high[0])).mean(axis=0)
    # 1,500 samples give a share of 0.9 to 0.008; three times that
    assert inside == pytest.approx([0.9] * 3, abs=0.025)
    assert band.name == "90 % limits, parametric bootstrap of 4,000 samples"


def test_several_fits_together_have_the_limits_of_each_alone():
    fits = [fit(GEV, SAMPLE), fit(GEV, 2 * SAMPLE), fit(GEV, SAMPLE[:30])]
    together = limits(fits, PERIODS, draws=200)
    for row, one in enumerate(fits):
        alone = limits([one], PERIODS, draws=200)
        assert np.array_equal(together.low[row], alone.low[0])
    assert together.low[1] == pytest.approx(2 * together.low[0])


@pytest.mark.parametrize("way", ["maximum likelihood", "product moments"])
def test_limits_of_the_other_ways_fit_each_sample_in_that_way(way):
    distribution = LogPearsonThree() if way == "product moments" else Gumbel()
    band = limits([fit(distribution, SAMPLE, way)], PERIODS, draws=100)
    quantiles = fit(distribution, SAMPLE, way).quantile(np.array(PERIODS))
    assert (band.low[0] < quantiles).all()
    assert (quantiles < band.high[0]).all()


@pytest.mark.parametrize("distribution", [kind() for kind in Distribution.known.values()])
def test_many_samples_fitted_together_are_each_fitted_as_alone(distribution):
    rng = np.random.default_rng(6)
    samples = np.sort(reference.genextreme.rvs(-0.1, 30, 8, size=(40, 30), random_state=rng), axis=1)
    together = distribution.most_likely_of_many(samples, by_l_moments(distribution, samples))
    for sample, parameters in zip(samples, together, strict=True):
        alone = fit(distribution, sample, "maximum likelihood").parameters
        own, other = (float(distribution.log_density(p, sample).sum()) for p in (parameters, alone))
        # the search of many ends a little earlier; a thousandth of a likelihood moves no quantile that is drawn
        assert own == pytest.approx(other, abs=1e-3)


def test_limits_can_be_cancelled():
    progress = Progress()
    progress.cancel()
    with pytest.raises(Exception, match="cancelled"):
        limits([fit(Gumbel(), SAMPLE, "maximum likelihood")], PERIODS, draws=500, progress=progress)


def test_bootstrap_quantiles_are_by_draw_fit_and_period():
    assert bootstrap_quantiles([fit(GEV, SAMPLE)] * 2, PERIODS, 50, 1).shape == (50, 2, 3)


@pytest.mark.parametrize(
    ("sample", "what"),
    [([1, 2, 3, 4], "too few"), ([5.0] * 9, "do not differ"), ([1, 2, np.nan, 4, 5, 6], "do not differ")],
)
def test_samples_that_cannot_be_fitted_are_refused(sample, what):
    with pytest.raises(OutOfRange, match=what):
        fit(GEV, np.array(sample, float))


def test_a_distribution_of_logarithms_refuses_nothing_and_less():
    with pytest.raises(OutOfRange, match="above zero"):
        fit(LogNormal(), np.array([0, 1, 2, 3, 4, 5.0]))
    with pytest.raises(OutOfRange, match="not offered"):
        fit(GEV, SAMPLE, "product moments")


def test_return_periods_beyond_three_times_the_record_are_doubtful():
    assert doubtful_periods((2, 72, 73, 200), 24) == [73, 200]


def test_anderson_darling_is_that_of_scipy():
    one = fit(Gumbel(), SAMPLE)
    mine = anderson_darling(one.distribution.probability(one.parameters, one.sample))
    place, scale = one.parameters
    n = np.arange(1, 41)
    f = reference.gumbel_r.cdf(np.sort(SAMPLE), place, scale)
    expected = -40 - np.sum((2 * n - 1) / 40 * (np.log(f) + np.log(1 - f[::-1])))
    assert mine == pytest.approx(expected, rel=1e-12)
    normal = np.sort(np.random.default_rng(1).normal(size=60))
    f = reference.norm.cdf((normal - normal.mean()) / normal.std(ddof=1))
    assert anderson_darling(f) == pytest.approx(
        reference.goodness_of_fit(reference.norm, normal, statistic="ad", n_mc_samples=10).statistic, rel=0.02
    )


def test_a_fit_is_spoken_against_only_where_it_is_wrong():
    right = reference.genextreme.rvs(-0.1, 30, 8, size=60, random_state=np.random.default_rng(8))
    assert not any(test.speaks_against for test in goodness(fit(GEV, right)))
    two_humps = np.concatenate([np.linspace(10, 11, 30), np.linspace(50, 51, 30)])
    assert all(test.speaks_against for test in goodness(fit(GEV, two_humps)))


def test_the_probability_of_a_right_fit_is_even():
    """Over many samples of a Gumbel distribution the test rejects at five percent as often as it says."""
    rng = np.random.default_rng(3)
    rejected = [goodness(fit(Gumbel(), rng.gumbel(30, 8, 30)), draws=199)[0].p < 0.1 for _ in range(300)]
    # 300 samples give a tenth to 0.017; three times that
    assert np.mean(rejected) == pytest.approx(0.1, abs=0.052)


def test_the_correlation_of_the_plot_is_one_for_quantiles_at_their_positions():
    one = fit(GEV, SAMPLE)
    exact = one.distribution.quantile(one.parameters, one.positions)
    assert plot_correlation(one, one.parameters, exact) == pytest.approx(1, abs=1e-12)
    assert float(plot_correlation(one, one.parameters, one.sample)) == pytest.approx(
        np.corrcoef(one.sample, exact)[0, 1], rel=1e-12
    )


def test_a_trend_is_that_of_kendall_and_of_theil_and_sen():
    rng = np.random.default_rng(2)
    years = np.arange(1990, 2024, dtype=float)
    values = np.round(30 + 0.4 * (years - 1990) + rng.normal(0, 3, 34), 0)
    found = mann_kendall(values, years)
    expected = reference.kendalltau(years, values, method="asymptotic")
    assert found.there
    # SciPy leaves out the correction of one for continuity, so the probability differs a little
    assert found.p == pytest.approx(expected.pvalue, rel=0.15)
    assert found.slope == pytest.approx(reference.theilslopes(values, years).slope)
    assert not mann_kendall(rng.normal(size=34), years).there
    assert mann_kendall(np.ones(34), years).z == 0


def test_mann_kendall_of_a_worked_series():
    # S of 10 values counted by hand: 37 pairs rise, 8 fall
    values = np.array([1, 3, 2, 5, 4, 7, 6, 9, 8, 6.5])
    found = mann_kendall(values, np.arange(10.0))
    rises = sum(values[j] > values[i] for i in range(10) for j in range(i + 1, 10))
    assert found.s == 2 * rises - 45
    # the variance without ties is n (n - 1) (2 n + 5) / 18 = 125
    assert found.z == pytest.approx((found.s - 1) / np.sqrt(125))


def test_plotting_positions_are_named_and_even_about_the_middle():
    for position in POSITIONS.values():
        p = position.probabilities(9)
        assert p + p[::-1] == pytest.approx(np.ones(9))
    assert POSITIONS["Gringorten"].probabilities(24)[-1] == pytest.approx((24 - 0.44) / 24.12)
    assert Gumbel.position.name == "Gringorten"
    assert LogNormal.position.name == "Blom"


@settings(max_examples=50, deadline=None)
@given(st.integers(0, 2**32 - 1))
def test_depths_made_to_rise_do_rise_both_ways_and_move_as_little_as_can_be(seed):
    rng = np.random.default_rng(seed)
    fitted = np.sort(rng.gamma(3, 10, (6, 4)), axis=1)
    found = rising(fitted)
    assert (np.diff(found, axis=0) >= -1e-12).all()
    assert (np.diff(found, axis=1) >= -1e-12).all()
    # nearest: no other rising depths that are tried come closer
    other = np.maximum.accumulate(fitted, axis=0)
    assert ((found - fitted) ** 2).sum() <= ((other - fitted) ** 2).sum() + 1e-9
    assert rising(found) == pytest.approx(found)


def samples():
    rng = np.random.default_rng(12)
    base = rng.gumbel(20, 6, 30)
    return {3600 * h: base * h**0.4 * rng.normal(1, 0.05, 30) for h in (1, 3, 6, 24)}


@pytest.mark.parametrize("together", ["one growth curve", "nearest rising depths"])
@pytest.mark.parametrize("way", ["L-moments", "maximum likelihood"])
def test_curves_of_all_durations_do_not_cross(together, way):
    found = depth_frequency(samples(), PERIODS, GEV, way=way, together=together, draws=0)
    assert (np.diff(found.depths, axis=0) >= 0).all()
    assert (np.diff(found.depths, axis=1) > 0).all()
    assert found.shifts == pytest.approx(found.depths - found.fitted)


def test_one_growth_curve_is_the_mean_of_a_duration_times_a_common_quantile():
    own = samples()
    found = depth_frequency(own, PERIODS, GEV, draws=0)
    ratio = found.fitted / np.array([own[d].mean() for d in found.durations])[:, None]
    assert ratio == pytest.approx(np.broadcast_to(found.growth.quantile(np.array(PERIODS)), ratio.shape))
    for one, row in zip(found.fits, found.fitted, strict=True):
        assert one.quantile(np.array(PERIODS)) == pytest.approx(row)


def test_the_shift_of_curves_that_would_cross_is_shown():
    own = samples()
    own[3600 * 3] = own[3600] * 0.9  # three hours with less than one
    found = depth_frequency(own, PERIODS, GEV, together="nearest rising depths", draws=0)
    duration, _, shift = found.greatest_shift
    assert duration in (3600, 3 * 3600)
    assert abs(shift) > 0.01
    assert found.depths[0] == pytest.approx(found.depths[1])


def test_peaks_over_a_threshold_keep_the_threshold_as_the_place():
    peaks = reference.genpareto.rvs(0.1, 20, 6, size=200, random_state=np.random.default_rng(4))
    for way in ("L-moments", "maximum likelihood"):
        assert fit(GeneralisedPareto(threshold=20.0), peaks, way).parameters[0] == 20
