"""A pure lag: the inflow itself, later, with its water."""

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy.integrate import quad

from tarnwater import states
from tarnwater.hydrograph import Hydrograph
from tarnwater.routing.reaches import Muskingum, PureLag


def random_inflow(seed, step=600.0, cases=2, steps=40):
    rng = np.random.default_rng(seed)
    return Hydrograph(rng.gamma(0.7, 20, (cases, steps + 1)), step, rng.normal(0, 50, (cases, steps)))


def test_a_lag_of_whole_steps_hands_the_same_ordinates_and_volumes_on_to_the_last_bit():
    inflow = random_inflow(1)
    routed = PureLag(travel_time=3 * 600.0).route(inflow).hydrograph
    assert np.array_equal(routed.flow[:, 3:], inflow.flow[:, :-3])
    assert np.array_equal(routed.flow[:, :3], np.repeat(inflow.flow[:, :1], 3, axis=1))
    assert np.array_equal(routed.uneven[:, 3:], inflow.uneven[:, :-3])
    assert not routed.uneven[:, :3].any()


def test_rounding_leaves_no_part_of_a_step():
    for step, lag, whole in ((0.3 * 600, 30 * 0.1 * 180.0, 3), (60.0 * 1.1, 7 * 66.0, 7)):
        assert PureLag(travel_time=lag).delay(step) == (whole, 0.0)


def test_no_travel_time_hands_the_flow_on():
    inflow = random_inflow(2)
    routed = PureLag(travel_time=0.0).route(inflow)
    assert np.array_equal(routed.hydrograph.flow, inflow.flow)
    assert not routed.start_stored.any()
    assert not routed.stored.any()


@pytest.mark.parametrize("lag", [200.0, 599.0, 1000.0, 4321.0])
def test_between_the_steps_the_flow_and_the_volume_are_those_of_the_shifted_inflow(lag):
    step, inflow = 600.0, Hydrograph(random_inflow(3).flow, 600.0)
    routed = PureLag(travel_time=lag).route(inflow)
    times = np.arange(41) * step
    for case in range(2):
        flow = inflow.flow[case]
        assert routed.hydrograph.flow[case] == pytest.approx(np.interp(times - lag, times, flow), rel=1e-12)

        def shifted(t, flow=flow):
            return np.interp(t - lag, times, flow)

        for j in range(1, 41):
            a, b = times[j - 1], times[j]
            joint = times + lag
            breaks = joint[(joint > a) & (joint < b)]
            volume = quad(shifted, a, b, points=breaks if len(breaks) else None)[0]
            # the quadrature of a broken line with its breaks is exact but for rounding
            assert routed.hydrograph.volume[case, j - 1] == pytest.approx(volume, rel=1e-9)


@settings(deadline=None, max_examples=60)
@given(
    st.floats(0, 40_000), st.sampled_from([60.0, 300.0, 900.0, 3600.0]), st.integers(0, 1000), st.integers(0, 40)
)  # fmt: skip
def test_water_is_kept_and_a_cut_changes_nothing(lag, step, seed, cut):
    inflow, reach = random_inflow(seed, step), PureLag(travel_time=lag)
    routed = reach.route(inflow)
    came = routed.start_stored + inflow.total
    assert routed.hydrograph.total + routed.stored == pytest.approx(came, rel=1e-12)
    first = reach.route(Hydrograph(inflow.flow[:, : cut + 1].copy(), step, inflow.uneven[:, :cut].copy()))
    second = reach.route(Hydrograph(inflow.flow[:, cut:].copy(), step, inflow.uneven[:, cut:].copy()), first.state)
    assert second.start_stored == pytest.approx(first.stored, rel=1e-12)
    assert second.stored == pytest.approx(routed.stored, rel=1e-12)
    whole = routed.hydrograph
    joined = np.concatenate([first.hydrograph.flow, second.hydrograph.flow[:, 1:]], axis=1)
    assert np.array_equal(joined, whole.flow)
    parts = [first.hydrograph.volume, second.hydrograph.volume]
    # the scale of rounding is that of the volumes that pass
    assert np.concatenate(parts, axis=1) == pytest.approx(whole.volume, abs=1e-12 * np.abs(whole.volume).max() + 1e-9)


def test_states_of_different_travel_times_are_put_together_and_told_apart():
    inflow, lags = random_inflow(5, cases=1), (1000.0, 7000.0)
    ends = [PureLag(travel_time=lag).route(inflow).state for lag in lags]
    together = states.joined(ends, [1, 1])
    for case, lag in enumerate(lags):
        own = states.cases_of(together, np.array([case]))
        further = random_inflow(6, cases=1)
        alone = PureLag(travel_time=lag).route(further, ends[case])
        assert np.array_equal(PureLag(travel_time=lag).route(further, own).hydrograph.flow, alone.hydrograph.flow)


def test_the_outflow_may_take_the_place_of_the_inflow():
    inflow = random_inflow(7)
    apart = PureLag(travel_time=1500.0).route(inflow).hydrograph.flow
    inside = inflow.flow.copy()
    routed = PureLag(travel_time=1500.0).route(Hydrograph(inside, 600.0, inflow.uneven), out=inside)
    assert np.array_equal(routed.hydrograph.flow, apart)


def test_its_travel_time_follows_from_length_and_celerity_and_it_is_what_many_muskingum_parts_come_to():
    reach = PureLag().refreshed(3600.0, 2.0)
    assert reach.travel_time.known == 1800.0
    assert PureLag().refreshed(0.0, None).travel_time.known == 0.0
    assert PureLag().missing()
    assert not reach.missing()
    t = np.arange(0, 20 * 3600 + 60, 60.0)
    flood = Hydrograph((t / 7200 * np.exp(1 - t / 7200))[None, :] ** 4, 60.0)
    many = Muskingum(travel_time=1800.0, weight=0.49, parts=30).route(flood).hydrograph.flow
    # thirty parts with X = 0.49 spread the wave by K sqrt((1 - 2 X) / 30) = 46 s, a hundredth of its rise
    assert reach.route(flood).hydrograph.flow == pytest.approx(many, abs=2e-4)
