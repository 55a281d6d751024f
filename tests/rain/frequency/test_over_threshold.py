"""Depths from peaks over thresholds, at return periods between annual maxima."""

import numpy as np
import pytest
import scipy.stats as reference

from tarnwater.errors import OutOfRange
from tarnwater.rain.depths import period_of_peaks
from tarnwater.rain.frequency.fits import limits
from tarnwater.rain.frequency.goodness import dispersion
from tarnwater.rain.frequency.over_threshold import Peaks, peak_frequency

HOUR = 3600
PERIODS = (2.0, 10.0, 100.0)


def peaks_of(shape, scale, threshold, size=400, rate=4.0, seed=1):
    drawn = reference.genpareto.rvs(-shape, threshold, scale, size=size, random_state=np.random.default_rng(seed))
    return Peaks(drawn, threshold, rate)


@pytest.mark.parametrize(
    ("shape", "way"),
    [(-0.15, "L-moments"), (0.0001, "L-moments"), (0.2, "L-moments"), (-0.15, "maximum likelihood")],
)
def test_large_samples_give_back_their_depths(shape, way):
    """Quantiles of the true distribution at the peaks' own return period, and the known parameters."""
    peaks = peaks_of(shape, 6.0, 20.0, size=60_000)
    found = peak_frequency({HOUR: peaks}, PERIODS, way=way, together="nearest rising depths", draws=0)
    exceeded = np.array([1 / (4.0 * period_of_peaks(t)) for t in PERIODS])
    true = reference.genpareto.isf(exceeded, -shape, 20.0, 6.0)
    # the standard error of the shape from 60,000 peaks is 0.004, which is 2 % of the excess at 1 in 100; three of it
    assert found.depths[0] == pytest.approx(true, rel=0.03)
    assert found.fits[0].parameters == pytest.approx([20.0, 6.0, shape], abs=0.15)


def test_depths_are_years_between_annual_maxima_and_back():
    one = peak_frequency({HOUR: peaks_of(-0.1, 6.0, 20.0)}, PERIODS, draws=0).fits[0]
    depths = one.quantile(np.array(PERIODS))
    assert one.return_period(depths) == pytest.approx(PERIODS)
    # a year whose peaks are Poisson with 4 over the threshold is below it with exp(-4)
    assert one.annual(np.array(0.0)) == pytest.approx(np.exp(-4))
    assert np.isnan(one.quantile(1.01))


def test_annual_maxima_of_a_simulated_process_are_exceeded_as_often_as_said():
    """Years of Poisson peaks, whose greatest exceed the depth of 1 in 10 in a tenth of them."""
    rng = np.random.default_rng(2)
    found = peak_frequency({HOUR: peaks_of(-0.1, 6.0, 20.0, size=60_000)}, (10.0,), draws=0)
    counts = rng.poisson(4.0, size=40_000)
    drawn = reference.genpareto.rvs(0.1, 20.0, 6.0, size=counts.sum(), random_state=rng)
    years = np.repeat(np.arange(40_000), counts)
    greatest = np.zeros(40_000)
    np.maximum.at(greatest, years, drawn)
    # 40,000 years give a share of 0.1 to 0.0015; three of it, and as much for the fit
    assert (greatest > found.depths[0, 0]).mean() == pytest.approx(0.1, abs=0.008)


def test_one_growth_curve_gives_all_durations_one_shape_of_their_excess():
    peaks = {HOUR: peaks_of(-0.1, 6.0, 20.0), 3 * HOUR: peaks_of(-0.3, 8.0, 31.0, seed=2)}
    found = peak_frequency(peaks, PERIODS, draws=0)
    shapes = [one.parameters[2] for one in found.fits]
    assert shapes[0] == shapes[1] == found.growth.parameters[2]
    for one, known in zip(found.fits, peaks.values(), strict=True):
        assert one.parameters[0] == known.threshold
        # the mean of a generalised Pareto excess is α / (1 + k)
        assert one.parameters[1] / (1 + one.parameters[2]) == pytest.approx((known.values - known.threshold).mean())
    apart = peak_frequency(peaks, PERIODS, together="nearest rising depths", draws=0)
    assert apart.fits[0].parameters[2] != apart.fits[1].parameters[2]


def test_limits_are_of_samples_over_the_same_threshold():
    peaks = peaks_of(-0.1, 6.0, 20.0, size=120)
    found = peak_frequency({HOUR: peaks}, PERIODS, draws=500)
    assert (found.limits.low < found.depths).all()
    assert (found.depths < found.limits.high).all()
    wide = limits(found.fits, PERIODS, draws=500, level=0.99)
    assert (wide.high > found.limits.high).all()


def test_a_return_period_below_the_threshold_is_refused():
    with pytest.raises(OutOfRange, match=r"1 in 2 lies below the threshold, which 0\.5 peaks a year exceed"):
        peak_frequency({HOUR: peaks_of(-0.1, 6.0, 20.0, rate=0.5)}, PERIODS, draws=0)


def test_dispersion_is_one_for_poisson_counts_and_speaks_against_clusters():
    rng = np.random.default_rng(4)
    told = dispersion(rng.poisson(3.0, size=5000))
    assert told.index == pytest.approx(1, abs=0.06)  # three standard errors of sqrt(2/5000)
    assert not told.speaks_against
    clustered = dispersion(np.repeat([0, 6], 40))
    assert clustered.index == pytest.approx(np.var(np.repeat([0, 6], 40), ddof=1) / 3)
    assert clustered.speaks_against
    # χ² of 9 degrees at 9 d, both tails
    counts = np.array([1, 4, 2, 3, 3, 5, 2, 0, 4, 6])
    statistic = 9 * counts.var(ddof=1) / counts.mean()
    assert dispersion(counts).p == pytest.approx(
        2 * min(reference.chi2(9).cdf(statistic), reference.chi2(9).sf(statistic))
    )
