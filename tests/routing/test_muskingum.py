"""Muskingum routing against analytical solutions, at any step, cut anywhere."""

from itertools import pairwise

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from tarnwater.errors import ComputationFailed, OutOfRange
from tarnwater.hydrograph import Hydrograph
from tarnwater.routing.reaches import Muskingum, Passing
from tarnwater.routing.reaches.muskingum import coefficients, weight_keeping_attenuation
from tarnwater.runoff.transforms import NrcsUnitHydrograph, convolve


def flood(step, hours=30, peak=100.0):
    t = np.arange(0, hours * 3600 + step, step)
    x = t / (6 * 3600)
    return Hydrograph(peak * (x * np.exp(1 - x))[None, :] ** 4, float(step))


def test_a_constant_inflow_stays_as_it_is():
    inflow = Hydrograph(np.full((2, 50), 12.5), 900.0)
    routed = Muskingum(travel_time=7200.0, weight=0.2, parts=3).route(inflow)
    assert routed.hydrograph.flow == pytest.approx(12.5, rel=1e-13)
    assert routed.stored == pytest.approx(12.5 * 7200.0, rel=1e-13)


def test_a_linear_reservoir_answers_a_step_as_the_exact_solution():
    k, step = 3600.0, 10.0
    t = np.arange(0, 5 * k + step, step)
    inflow = Hydrograph(np.ones((1, len(t))), step)
    out = (
        Muskingum(travel_time=k, weight=0.0, parts=1)
        .route(inflow, (np.array([[1.0, 0.0]]), np.zeros((1, 2))))
        .hydrograph.flow[0]
    )
    # the trapezoid errs by (step / k)^2 / 12 of the slope
    assert out == pytest.approx(1 - np.exp(-t / k), abs=1e-6)


@pytest.mark.parametrize("parts", [1, 3])
def test_the_peak_does_not_follow_the_step_with_parts_held(parts):
    reach = Muskingum(travel_time=4 * 3600.0, weight=0.2, parts=parts)
    peaks = [reach.route(flood(step)).hydrograph.flow.max() for step in (900, 600, 300, 60, 30)]
    assert peaks == pytest.approx([peaks[-1]] * 5, rel=1e-3)


def test_sub_steps_keep_the_last_coefficient_from_falling_below_zero():
    for step in (60.0, 900.0, 3600.0, 20_000.0):
        found = coefficients(7200.0, 0.3, 4, step)
        assert found.c3 >= -1e-12
        assert found.c1 + found.c2 + found.c3 == pytest.approx(1.0, abs=1e-14)


def test_negative_flow_is_neither_clipped_nor_hidden():
    inflow = np.zeros((1, 40))
    inflow[0, 5:] = 50.0
    out = Muskingum(travel_time=36_000.0, weight=0.45, parts=1).route(Hydrograph(inflow, 900.0)).hydrograph
    assert out.flow.min() < 0


def test_parts_with_the_other_weight_keep_the_attenuation():
    one = Muskingum(travel_time=3 * 3600.0, weight=0.35, parts=1)
    weight = weight_keeping_attenuation(0.35, 1, 3)
    three = Muskingum(travel_time=3 * 3600.0, weight=weight, parts=3)
    peaks = [r.route(flood(300)).hydrograph.flow.max() for r in (one, three)]
    assert weight == pytest.approx(0.05)
    same_weight = Muskingum(travel_time=3 * 3600.0, weight=0.35, parts=3).route(flood(300)).hydrograph.flow.max()
    # equal to the second moment of the response; the third differs, and is left of it a fifth
    assert abs(peaks[1] - peaks[0]) < 0.2 * abs(same_weight - peaks[0])


@settings(deadline=None, max_examples=50)
@given(
    st.floats(600, 40_000), st.floats(0, 0.49), st.integers(1, 6), st.sampled_from([300.0, 900.0, 3600.0]),
    st.integers(0, 1000), st.integers(0, 40),
)  # fmt: skip
def test_water_is_kept_and_a_cut_changes_nothing(k, x, parts, step, seed, cut):
    rng = np.random.default_rng(seed)
    inflow = Hydrograph(rng.gamma(0.7, 20, (2, 41)), step, rng.normal(0, 50, (2, 40)))
    reach = Muskingum(travel_time=k, weight=x, parts=parts)
    routed = reach.route(inflow)
    came = routed.start_stored + inflow.total
    assert routed.hydrograph.total + routed.stored == pytest.approx(came, rel=1e-12)
    first = reach.route(Hydrograph(inflow.flow[:, : cut + 1].copy(), step, inflow.uneven[:, :cut].copy()))
    second = reach.route(Hydrograph(inflow.flow[:, cut:].copy(), step, inflow.uneven[:, cut:].copy()), first.state)
    joined = np.concatenate([first.hydrograph.flow, second.hydrograph.flow[:, 1:]], axis=1)
    scale = max(1.0, np.abs(routed.hydrograph.flow).max())
    assert joined == pytest.approx(routed.hydrograph.flow, abs=1e-10 * scale)


def quick_flood(step, rain=3 * 3600.0, lag=3600.0):
    """A flood from a catchment whose unit hydrograph is gathered from inner steps where the step asks for it."""
    unit = NrcsUnitHydrograph().unit_hydrograph(5e6, lag, step)
    steps = round(rain / step)
    return convolve(np.full((1, steps), 40.0 / steps), unit, round(30 * 3600 / step)).hydrograph


@pytest.mark.parametrize(
    ("step", "k", "x", "parts"),
    [
        (600.0, 1.0, 0.2, 1), (3600.0, 1.0, 0.2, 1), (600.0, 60.0, 0.2, 3), (3600.0, 60.0, 0.3, 2),
        (600.0, 900.0, 0.3, 2), (3600.0, 900.0, 0.0, 1), (600.0, 7200.0, 0.0, 1), (3600.0, 7200.0, 0.2, 1),
    ],
)  # fmt: skip
def test_without_a_negative_coefficient_no_ordinate_leaves_the_range_of_the_inflow(step, k, x, parts):
    inflow, reach = quick_flood(step), Muskingum(travel_time=k, weight=x, parts=parts)
    assert step <= 600.0 or inflow.uneven is not None
    assert reach.coefficients(step).c1 >= 0
    flow = reach.route(inflow).hydrograph.flow
    assert flow.max() <= inflow.flow.max() * (1 + 1e-12)
    assert flow.min() >= inflow.flow.min() - 1e-12


def test_the_volume_beyond_the_trapezoid_changes_no_ordinate():
    inflow = quick_flood(3600.0)
    plain = Hydrograph(inflow.flow, inflow.step)
    for reach in (Muskingum(travel_time=1.0, parts=1), Muskingum(travel_time=9000.0, weight=0.3, parts=2)):
        assert np.array_equal(reach.route(inflow).hydrograph.flow, reach.route(plain).hydrograph.flow)
        total = reach.route(inflow).hydrograph.total + reach.route(inflow).stored
        assert total == pytest.approx(inflow.total, rel=1e-12)


def test_ordinates_are_those_of_the_plain_recursion_on_the_ordinates():
    inflow, reach = quick_flood(3600.0), Muskingum(travel_time=9000.0, weight=0.2, parts=1)
    c, flow, out = reach.coefficients(3600.0), inflow.flow[0], [inflow.flow[0, 0]]
    assert c.substeps == 1
    for before, after in pairwise(flow):
        out.append(c.c1 * after + c.c2 * before + c.c3 * out[-1])
    assert reach.route(inflow).hydrograph.flow[0] == pytest.approx(out, rel=1e-12)


@pytest.mark.parametrize("rain", [1200.0, 3 * 3600.0])
def test_a_short_reach_hands_the_peak_on_at_any_step_up_to_a_sixth_of_the_lag(rain):
    reach, ratios = Muskingum(travel_time=1.0, weight=0.2, parts=1), []
    for step in (600.0, 60.0):
        inflow = quick_flood(step, rain)
        ratios.append(reach.route(inflow).hydrograph.flow.max() / inflow.flow.max())
    assert ratios[0] == pytest.approx(ratios[1], rel=0.002)


def test_a_reach_of_too_many_sub_steps_is_refused_in_words():
    with pytest.raises(ComputationFailed, match="sub-steps in a step of 1 h. Take fewer parts"):
        Muskingum(travel_time=1.0, parts=60).route(flood(3600))


@pytest.mark.parametrize(("k", "x", "step"), [(10_800.0, 0.45, 600.0), (36_000.0, 0.3, 900.0), (100.0, 0.49, 3600.0)])
def test_the_fewest_parts_without_a_negative_coefficient_are_found(k, x, step):
    fewest = Muskingum(travel_time=k, weight=x, parts=1).least_parts(step)
    assert Muskingum(travel_time=k, weight=x, parts=fewest).coefficients(step).c1 >= -1e-12
    if fewest > 1:
        assert Muskingum(travel_time=k, weight=x, parts=fewest - 1).coefficients(step).c1 < 0


def test_a_weight_beyond_its_bound_is_refused():
    with pytest.raises(OutOfRange, match="at most 0.49"):
        Muskingum(travel_time=3600.0, weight=0.5, parts=1)


def test_the_number_of_parts_is_derived_once_and_does_not_follow_the_run():
    reach = Muskingum().refreshed(length=7200.0, celerity=2.0)
    assert reach.travel_time.value == 3600.0
    assert reach.parts.value == 4
    assert reach.refreshed(length=7200.0, celerity=2.0).parts.value == 4


def test_a_reach_without_routing_hands_its_flow_on():
    inflow = flood(900)
    assert Passing().route(inflow).hydrograph is inflow


def by_hand(flow, parts, step, c, substeps):
    """The recursion of one case, sub-step by sub-step and part by part, in plain Python."""
    now, out, uneven = [flow[0]] * (parts + 1), [flow[0]], []
    for begin, end in pairwise(flow):
        counted, last = 0.0, out[-1]
        for sub in range(1, substeps + 1):
            entering, before = begin + (end - begin) * sub / substeps, now[parts]
            for part in range(1, parts + 1):
                leaving = c.c1 * entering + c.c2 * now[part - 1] + c.c3 * now[part]
                now[part - 1], entering = entering, leaving
            now[parts] = entering
            counted += 0.5 * step / substeps * (before + now[parts])
        out.append(now[parts])
        uneven.append(counted - 0.5 * step * (last + out[-1]))
    return out, uneven


@pytest.mark.parametrize("cases", [1, 16, 37], ids=lambda n: f"{n} cases")
@pytest.mark.parametrize(("travel", "steps"), [(2400.0, 131), (200.0, 131), (90.0, 64), (2400.0, 1)])
def test_every_case_follows_the_recursion_whatever_its_company_and_length(cases, travel, steps):
    rng = np.random.default_rng(4)
    flow = rng.gamma(0.5, 3.0, (cases, steps + 1))
    reach = Muskingum(travel_time=travel, weight=0.2, parts=3)
    c = reach.coefficients(600.0)
    assert (c.substeps > 1) is (travel < 600)
    routed = reach.route(Hydrograph(flow, 600.0)).hydrograph
    for case in range(cases):
        out, uneven = by_hand(list(flow[case]), 3, 600.0, c, c.substeps)
        # the same operations in the same order, but for the end of a step
        assert routed.flow[case] == pytest.approx(out, rel=1e-12, abs=1e-13)
        if c.substeps > 1:
            assert routed.uneven[case] == pytest.approx(uneven, rel=1e-9, abs=1e-9)


def test_the_outflow_may_take_the_place_of_the_inflow():
    flow = np.random.default_rng(5).gamma(0.5, 3.0, (21, 150))
    reach = Muskingum(travel_time=200.0, weight=0.2, parts=3)
    apart = reach.route(Hydrograph(flow.copy(), 600.0)).hydrograph
    both = flow.copy()
    together = reach.route(Hydrograph(both, 600.0), out=both).hydrograph
    assert together.flow is both
    assert np.array_equal(together.flow, apart.flow)
    assert np.array_equal(together.uneven, apart.uneven)
