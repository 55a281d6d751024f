"""Distributions against closed forms, quadrature and SciPy on large skewed samples."""

import numpy as np
import pytest
import scipy.stats as reference
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy import integrate

from tarnwater.rain.frequency.distributions import (
    Distribution,
    GeneralisedExtremeValue,
    GeneralisedPareto,
    Gumbel,
    LogNormal,
    LogPearsonThree,
    PearsonThree,
)
from tarnwater.rain.frequency.fits import fit
from tarnwater.rain.frequency.moments import LMoments, l_moments

GEV, GP, P3, LP3 = GeneralisedExtremeValue(), GeneralisedPareto(), PearsonThree(), LogPearsonThree()

#: Each distribution with parameters, and the same of SciPy.
SAME = [
    (Gumbel(), (30, 8), reference.gumbel_r(30, 8)),
    (GEV, (30, 8, -0.2), reference.genextreme(-0.2, 30, 8)),
    (GEV, (30, 8, 0.25), reference.genextreme(0.25, 30, 8)),
    (LogNormal(), (3.4, 0.35), reference.lognorm(0.35, scale=np.exp(3.4))),
    (P3, (30, 8, 1.2), reference.pearson3(1.2, 30, 8)),
    (P3, (30, 8, -0.8), reference.pearson3(-0.8, 30, 8)),
    (GP, (30, 8, -0.2), reference.genpareto(0.2, 30, 8)),
    (GP, (30, 8, 0.25), reference.genpareto(-0.25, 30, 8)),
]
NAMES = [f"{d.tag()} {p}" for d, p, _ in SAME]
PROBABILITIES = np.array([0.01, 0.2, 0.5, 0.9, 0.99, 0.999])


@pytest.mark.parametrize(("distribution", "parameters", "same"), SAME, ids=NAMES)
def test_quantiles_probabilities_and_densities_are_those_of_scipy(distribution, parameters, same):
    parameters = np.array(parameters, float)
    values = same.ppf(PROBABILITIES)
    # both compute the same closed forms or incomplete gamma functions
    assert distribution.quantile(parameters, PROBABILITIES) == pytest.approx(values, rel=1e-9)
    assert distribution.probability(parameters, values) == pytest.approx(PROBABILITIES, rel=1e-9)
    assert distribution.log_density(parameters, values) == pytest.approx(same.logpdf(values), rel=1e-8)
    reduced = -np.log(-np.log(PROBABILITIES))
    assert distribution.quantile_at(parameters, reduced) == pytest.approx(values, rel=1e-9)


def population_moments(distribution, parameters):
    """The first four L-moments by quadrature of the quantile function."""
    polynomials = (
        lambda f: 1,
        lambda f: 2 * f - 1,
        lambda f: 6 * f**2 - 6 * f + 1,
        lambda f: 20 * f**3 - 30 * f**2 + 12 * f - 1,
    )
    found = [
        integrate.quad(lambda f, p=p: float(distribution.quantile(parameters, np.array(f))) * p(f), 0, 1, limit=400)[0]
        for p in polynomials
    ]
    return LMoments(*(np.array(m) for m in (found[0], found[1], found[2] / found[1], found[3] / found[1])))


@pytest.mark.parametrize(("distribution", "parameters", "same"), SAME, ids=NAMES)
def test_parameters_come_back_from_the_l_moments_of_the_distribution(distribution, parameters, same):
    parameters = np.array(parameters, float)
    if distribution.of_logs:  # the L-moments are those of the logarithms, which are normal
        moments = LMoments(np.array(3.4), np.array(0.35 / np.sqrt(np.pi)), np.array(0.0), np.array(0.1226))
    else:
        moments = population_moments(distribution, parameters)
    # quadrature of a quantile that is infinite at an end is good to seven digits
    assert distribution.by_l_moments(moments) == pytest.approx(parameters, rel=2e-6, abs=2e-6)


def test_the_closed_forms_of_the_l_moments_of_gumbel_and_of_the_pareto():
    moments = LMoments(*map(np.array, (30 + np.euler_gamma * 8, 8 * np.log(2), 0.169925, 0.150375)))
    assert Gumbel().by_l_moments(moments) == pytest.approx([30, 8], rel=1e-12)
    k = 0.25
    first, second, skewness = 30 + 8 / (1 + k), 8 / ((1 + k) * (2 + k)), (1 - k) / (3 + k)
    moments = LMoments(*map(np.array, (first, second, skewness, 0.1)))
    assert GP.by_l_moments(moments) == pytest.approx([30, 8, k], rel=1e-12)
    assert GeneralisedPareto(threshold=30).by_l_moments(moments) == pytest.approx([30, 8, k], rel=1e-12)


@pytest.mark.parametrize(("distribution", "parameters", "same"), SAME, ids=NAMES)
@pytest.mark.parametrize("way", ["L-moments", "maximum likelihood"])
def test_a_large_skewed_sample_gives_its_quantiles_back(distribution, parameters, same, way):
    sample = same.rvs(30_000, random_state=np.random.default_rng(11))
    found = fit(distribution, sample, way)
    periods = np.array([2, 10, 100])
    # the standard error of the 100-year quantile of 30,000 values is 1 % for the heaviest tail here
    assert found.quantile(periods) == pytest.approx(same.ppf(1 - 1 / periods), rel=0.03)


@pytest.mark.parametrize(
    ("distribution", "same"),
    [
        (Gumbel(), reference.gumbel_r),
        (GEV, reference.genextreme),
        (LogNormal(), reference.lognorm),
        (P3, reference.pearson3),
    ],
)
def test_maximum_likelihood_is_at_least_as_likely_as_that_of_scipy(distribution, same):
    sample = reference.genextreme.rvs(-0.1, 30, 8, size=80, random_state=np.random.default_rng(5))
    known = same.fit(sample, floc=0) if distribution.of_logs else same.fit(sample)
    found = fit(distribution, sample, "maximum likelihood")
    own = float(distribution.log_density(found.parameters, sample).sum())
    # the last digits of a search by simplex
    assert own >= float(same.logpdf(sample, *known).sum()) - 1e-6
    assert found.at_bound == ()


@pytest.mark.parametrize("skew", [0.9, -0.6])
def test_log_pearson_three_is_pearson_three_of_the_logarithms_in_every_way(skew):
    logs = reference.pearson3.rvs(skew, 3.0, 0.3, size=60_000, random_state=np.random.default_rng(2))
    sample = np.exp(logs)
    for way in ("L-moments", "maximum likelihood", "product moments"):
        found = fit(LP3, sample[:8_000] if way != "L-moments" else sample, way)
        # the moments of 8,000 values give the skewness to 0.05
        assert found.parameters == pytest.approx([3.0, 0.3, skew], abs=0.08)
    mean, spread, skewness = fit(LP3, sample, "product moments").parameters
    assert mean == pytest.approx(logs.mean(), rel=1e-12)
    assert spread == pytest.approx(logs.std(ddof=1), rel=1e-12)
    assert skewness == pytest.approx(reference.skew(logs, bias=False), rel=1e-3)


def test_a_shape_at_its_bound_is_said():
    sample = np.array([1.0, 1.01, 1.02, 1.03, 1.05, 1.06, 9.0, 400.0, 30000.0])
    assert fit(GEV, sample, "maximum likelihood").at_bound == ("k",)


@settings(max_examples=40, deadline=None)
@given(st.floats(-0.8, 0.8))
def test_the_shape_of_an_l_skewness_is_exact_and_passes_zero_without_a_jump(k):
    # 2 (1 - 3^-k) / (1 - 2^-k) - 3, its limit at zero
    skewness = (
        2 * -np.expm1(-k * np.log(3)) / -np.expm1(-k * np.log(2)) - 3
        if abs(k) > 1e-7
        else 2 * np.log(3) / np.log(2) - 3
    )
    moments = LMoments(*map(np.array, (30.0, 5.0, skewness, 0.1)))
    assert GEV.by_l_moments(moments)[2] == pytest.approx(k, abs=1e-6)
    near = LMoments(*map(np.array, (30.0, 5.0, skewness + 1e-9, 0.1)))
    periods = 1 - 1 / np.array([2, 100])
    assert GEV.quantile(GEV.by_l_moments(near), periods) == pytest.approx(
        GEV.quantile(GEV.by_l_moments(moments), periods), rel=1e-5
    )


def test_a_skewness_near_zero_is_the_normal_distribution():
    for skew in (0.0, 1e-6, -1e-6, 1e-4, -1e-4, 1e-3):
        found = P3.quantile(np.array([30, 8, skew]), PROBABILITIES)
        z = reference.norm.ppf(PROBABILITIES)
        # Cornish and Fisher's first term; the next is of the square of the skewness
        assert found == pytest.approx(30 + 8 * (z + skew / 6 * (z * z - 1)), rel=1e-6)


def test_l_moments_of_a_sample_are_those_of_all_its_subsets():
    """λ2 is half the mean difference of pairs, λ3 a third of x3 - 2 x2 + x1 over triples."""
    from itertools import combinations

    sample = np.sort(np.random.default_rng(3).gamma(2, 5, 12))
    found = l_moments(sample)
    pairs = np.mean([b - a for a, b in combinations(sample, 2)]) / 2
    triples = np.mean([c - 2 * b + a for a, b, c in combinations(sample, 3)]) / 3
    fours = np.mean([d - 3 * c + 3 * b - a for a, b, c, d in combinations(sample, 4)]) / 4
    assert [float(m) for m in found] == pytest.approx([sample.mean(), pairs, triples / pairs, fours / pairs], rel=1e-12)


def test_every_distribution_scales_with_its_sample():
    sample = reference.genextreme.rvs(-0.1, 30, 8, size=40, random_state=np.random.default_rng(5))
    for distribution in (kind() for kind in Distribution.known.values()):
        one, two = (fit(distribution, factor * sample) for factor in (1, 25.4))
        assert distribution.scaled(one.parameters, 25.4) == pytest.approx(two.parameters, rel=1e-9)
        assert two.quantile(100.0) == pytest.approx(25.4 * one.quantile(100.0), rel=1e-9)
