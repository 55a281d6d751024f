"""Snyder's and typed unit hydrographs, nonlinear stores, and the kinematic plane."""

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy.integrate import solve_ivp
from scipy.special import gammainc

from tarnwater.errors import BadInput
from tarnwater.network.elements import Catchment, Surface
from tarnwater.runoff.losses import NoLoss
from tarnwater.runoff.transforms import (
    ExcessOnArea,
    KinematicPlane,
    NonlinearStorage,
    SnyderUnitHydrograph,
    TypedUnitHydrograph,
    convolve,
)
from tarnwater.runoff.transforms.snyder import seven_points
from tarnwater.runoff.transforms.typed_unit import turned

HOUR = 3600.0


# Snyder


def test_the_seven_points_are_those_of_the_equations():
    # 100 km2, tp 5.5 h, Cp 0.6: D = 1 h, qp = 2.75 x 0.6 x 100 / 5.5 = 30 m3/s per cm
    points = seven_points(0.6, 1e8, 5.5 * HOUR, HOUR)
    half, quarter = 2.14 * 0.3**-1.08 * HOUR, 1.22 * 0.3**-1.08 * HOUR
    top = 0.5 * HOUR + 5.5 * HOUR
    assert points.peak == pytest.approx(3.0)
    assert points.lag == pytest.approx(5.5 * HOUR)
    assert points.times[1:6] == pytest.approx(
        [top - half / 3, top - quarter / 3, top, top + 2 * quarter / 3, top + 2 * half / 3]
    )
    assert points.flows == pytest.approx([0, 1.5, 2.25, 3, 2.25, 1.5, 0])
    held = np.sum(np.diff(points.times) * (points.flows[1:] + points.flows[:-1]) / 2)
    assert held == pytest.approx(1e5)


def test_the_lag_of_another_duration_is_later_by_a_quarter_of_the_difference():
    assert seven_points(0.6, 1e8, 5.5 * HOUR, 3 * HOUR).lag == pytest.approx(5.5 * HOUR + 2 * HOUR / 4)


def test_a_start_before_the_rain_is_shifted_and_said():
    # a high coefficient narrows the curve, a low one widens it beyond its start
    wide = seven_points(0.2, 1e8, 5.5 * HOUR, HOUR)
    assert wide.shifted > 0
    assert wide.times[1] == pytest.approx(0, abs=1e-9)
    unit = SnyderUnitHydrograph(coefficient=0.2).unit_hydrograph(1e8, 5.5 * HOUR, 0.5 * HOUR)
    assert "later than the widths" in unit.curve


@pytest.mark.parametrize("step", [60.0, 300.0, 1800.0, HOUR, 3 * HOUR])
@pytest.mark.parametrize("coefficient", [0.4, 0.6, 0.9])
def test_a_snyder_unit_hydrograph_holds_one_unit_of_water(step, coefficient):
    unit = SnyderUnitHydrograph(coefficient=coefficient).unit_hydrograph(5e7, 4 * HOUR, step)
    assert unit.volumes.sum() == pytest.approx(5e4, rel=1e-12)
    assert unit.ordinates.min() >= 0


def test_its_peak_hardly_depends_on_the_step():
    transform = SnyderUnitHydrograph(coefficient=0.6)
    peaks = []
    for step in (300.0, 900.0, 1200.0):
        rain = np.full((1, round(2 * HOUR / step)), 10.0 * step / (2 * HOUR))
        peaks.append(
            transform.respond(ExcessOnArea(rain, 5e7, step, round(30 * HOUR / step)), 4 * HOUR).hydrograph.flow.max()
        )
    # the lag of a shorter duration is shorter by an eighth of the difference from its middle
    assert max(peaks) / min(peaks) < 1.015


# typed


PUBLISHED = (404.0, 1079.0, 2343.0, 2506.0, 1460.0, 453.0, 381.0, 274.0, 173.0)


def published(**own):
    times = tuple(1800.0 * k for k in range(1, 10))
    flows = tuple(q * 0.3048**3 for q in PUBLISHED)
    return TypedUnitHydrograph(**{"duration": 1800.0, "depth": 25.4, "times": times, "flows": flows} | own)


def test_a_published_convolution_is_met_and_the_unit_hydrograph_is_used_as_typed():
    typed = published()
    unit = typed.unit_hydrograph(typed.own_area, 0.0, 1800.0)
    assert unit.scale == pytest.approx(1.0, rel=1e-12)
    assert unit.ordinates[:9] * 25.4 / 0.3048**3 == pytest.approx(PUBLISHED, rel=1e-12)
    flow = convolve(np.array([[2.0, 3.0, 1.0]]) * 25.4, unit, 12).hydrograph.flow[0] / 0.3048**3 + 500
    # the book rounds to a cubic foot a second
    assert flow[1:8] == pytest.approx([1308.0, 3870.0, 8827.0, 13620.0, 13281.0, 8292.0, 4081.0], abs=1.0)


def test_a_typed_unit_hydrograph_gives_the_area_where_none_is_typed():
    typed = published()
    land = Catchment(name="Hask", transform=typed, surfaces=(Surface(loss=NoLoss()),)).refreshed()
    assert land.area.value == pytest.approx(typed.volume / 0.0254)
    assert land.missing() == []
    # a typed area stays, and the scale it takes is a doubt
    other = land.model_copy(update={"area": land.area.with_typed(2 * land.area.value)}).refreshed()
    assert other.area.value == pytest.approx(2 * land.area.value)
    assert [d.code for _, d in other.doubts([1800.0])] == ["unit-hydrograph-scaled"]


def test_a_triangle_turned_to_its_half_gives_the_triangle_back():
    times, flows = np.array([0.0, 4.0, 12.0]) * HOUR, np.array([0.0, 6.0, 0.0])
    at, found, residual = turned(times, flows, 2 * HOUR, HOUR)
    both = (found + np.append(0.0, found[:-1])) / 2
    assert both[1:13] == pytest.approx(np.interp(np.arange(1, 13) * HOUR, times, flows), abs=0.05)
    assert residual < 0.01
    assert found.min() >= 0
    assert np.sum(found) * HOUR == pytest.approx(6.0 * 12 * HOUR / 2, rel=1e-3)
    assert at[1] == HOUR


@pytest.mark.parametrize("step", [300.0, 900.0, 1800.0, 2700.0, HOUR])
def test_at_any_step_it_holds_one_unit_of_water_and_its_rain_gives_it_back(step):
    typed = published()
    unit = typed.unit_hydrograph(typed.own_area, 0.0, step)
    assert unit.volumes.sum() == pytest.approx(0.001 * typed.own_area, rel=1e-12)
    assert unit.ordinates.min() >= 0
    assert unit.scale == pytest.approx(1.0, abs=0.02)
    if 1800.0 % step == 0:
        blocks = round(1800 / step)
        flow = convolve(np.full((1, blocks), 25.4 / blocks), unit, 80).hydrograph.flow[0]
        at = np.arange(81) * step
        expected = np.interp(at, np.append(0, typed.times), np.append(0, typed.flows), right=0.0)
        within = at <= 9 * 1800
        # what the smoothing leaves of a corner
        assert flow[within] == pytest.approx(expected[within], abs=0.06 * max(typed.flows))


@pytest.mark.parametrize(
    "own",
    [{"flows": (1.0, -2.0)}, {"times": (HOUR, HOUR)}, {"times": (HOUR,)}, {"flows": (0.0, 0.0)}, {"depth": 0.0},
     {"duration": 0.0}],
)  # fmt: skip
def test_a_unit_hydrograph_of_negative_ordinates_or_without_any_is_refused(own):
    with pytest.raises((BadInput, ValueError)):
        TypedUnitHydrograph(**{"duration": HOUR, "times": (HOUR, 2 * HOUR), "flows": (1.0, 2.0)} | own)


# nonlinear stores


def routed(transform, rain, step, steps, area=1e6, state=None):
    return transform.respond(ExcessOnArea(np.atleast_2d(rain), area, step, steps, state), 0.0)


def test_linear_stores_are_a_cascade():
    # a store passes on like a gamma distribution of as many as are below; each has its part of the rain
    transform = NonlinearStorage(response=1800.0, exponent=1.0, count=4)
    found = routed(transform, [10.0], 60.0, 600)
    # rain falls within the first minute, in the middle on average
    t = np.maximum(np.arange(601) * 60.0 - 30, 0)
    each = [gammainc(k, t / 1800.0) for k in range(1, 5)]
    passed = np.cumsum(np.append(0, found.hydrograph.volume[0]))
    assert passed[1:] == pytest.approx(1e4 * np.mean(each, axis=0)[1:], abs=5)


@pytest.mark.parametrize("step", [60.0, 600.0])
def test_a_nonlinear_store_is_that_of_scipy(step):
    transform = NonlinearStorage(response=3600.0, exponent=0.8, count=1)
    count = round(6 * HOUR / step)
    found = routed(transform, np.full(count, 30.0 / count), step, 3 * count)
    rate = 0.03 * 1e6 / (6 * HOUR)

    def fill(t, s):
        return (rate if t < 6 * HOUR else 0.0) - (np.maximum(s, 0) / 3600) ** 1.25

    expected = solve_ivp(
        fill, (0, 18 * HOUR), [0.0], t_eval=np.arange(3 * count + 1) * step, rtol=1e-9, atol=1e-8, max_step=600
    )
    # sub-steps of a tenth of its response
    assert found.hydrograph.flow[0] == pytest.approx((expected.y[0] / 3600) ** 1.25, abs=2e-3)


# the plane


PLANE = KinematicPlane(plane_length=100.0, plane_slope=0.01, roughness=0.02)


@pytest.mark.parametrize("step", [10.0, 60.0])
def test_the_rising_limb_and_the_equilibrium_of_a_plane_are_closed(step):
    rate = 60.0 / 3600  # mm/s
    steps = round(1800 / step)
    found = routed(PLANE, np.full(steps, rate * step), step, steps, area=1e4)
    i, t = rate / 1000, np.arange(steps + 1) * step
    to_equilibrium = (100 / (PLANE.alpha * i ** (2 / 3))) ** 0.6
    closed = 100.0 * PLANE.alpha * (i * t) ** (5 / 3)
    # before anything arrives from the upper edge every depth is i t, exactly; the cells let it arrive a little early
    for until, tolerance in ((0.6, 1e-9), (0.9, 1e-3)):
        rising = t < until * to_equilibrium
        assert rising.sum() > 3
        assert found.hydrograph.flow[0, rising] == pytest.approx(closed[rising], rel=tolerance)
    assert found.hydrograph.flow[0, -1] == pytest.approx(i * 1e4, rel=1e-4)


def test_the_recession_of_a_plane_is_closed():
    rate, step = 60.0 / 3600, 10.0
    rained = round(1800 / step)
    found = routed(PLANE, np.full(rained, rate * step), step, rained + 120, area=1e4)
    flow = found.hydrograph.flow[0, rained:]
    i, alpha = rate / 1000, PLANE.alpha
    # after the rain a depth moves on at 5/3 alpha h^(2/3) from its place in the equilibrium, x = alpha h^(5/3) / i
    depth = (flow / (100 * alpha)) ** 0.6
    t = np.arange(len(flow)) * step
    away = alpha * depth ** (5 / 3) / i + 5 / 3 * alpha * depth ** (2 / 3) * t
    # sixty cells spread the wave a little
    assert away[1:60] == pytest.approx(100.0, rel=0.04)


def test_what_is_on_the_plane_and_in_the_stores_is_counted():
    for transform in (PLANE, NonlinearStorage(response=3600.0)):
        found = routed(transform, [5.0, 20.0, 0.0, 8.0], 600.0, 6, area=1e5)
        left = found.hydrograph.total[0] + transform.stored(found.state)[0]
        assert left == pytest.approx(0.033 * 1e5, rel=1e-12)


@given(
    st.sampled_from([PLANE, NonlinearStorage(response=2000.0, exponent=0.75, count=3)]),
    st.lists(st.floats(0, 30), min_size=2, max_size=12), st.integers(1, 11), st.sampled_from([60.0, 900.0]),
)  # fmt: skip
@settings(max_examples=40, deadline=None)
def test_a_run_cut_in_two_equals_the_run_in_one_piece(transform, rain, cut, step):
    steps = 20
    whole = routed(transform, rain, step, steps)
    first = routed(transform, rain[:cut], step, cut)
    rest = rain[cut:] or [0.0]
    second = routed(transform, rest, step, steps - cut, state=first.state)
    joined = np.append(first.hydrograph.flow[0], second.hydrograph.flow[0, 1:])
    assert joined == pytest.approx(whole.hydrograph.flow[0], rel=1e-9, abs=1e-12)


@pytest.mark.parametrize(
    "made",
    [
        lambda: KinematicPlane(plane_length=0, plane_slope=0.1), lambda: KinematicPlane(plane_length=10, plane_slope=0),
        lambda: KinematicPlane(plane_length=10, plane_slope=0.1, roughness=0), lambda: NonlinearStorage(response=0),
        lambda: NonlinearStorage(response=10, exponent=2), lambda: NonlinearStorage(response=10, count=0),
        lambda: SnyderUnitHydrograph(coefficient=0),
    ],
)  # fmt: skip
def test_zero_slope_and_other_limits_are_refused(made):
    with pytest.raises((BadInput, ValueError)):
        made()


def test_an_area_that_followed_from_a_transform_goes_with_it():
    from tarnwater.network.elements import Outfall
    from tarnwater.study import edits
    from tarnwater.study.document import Study
    from tarnwater.study.reckonings import explain_setting

    land = Catchment(name="Hask", lag=HOUR, surfaces=(Surface(loss=NoLoss()),))
    study = edits.add_draining(edits.add_element(Study(title="One"), Outfall(name="End")), land, "hask", "end")
    study = edits.choose(study, "hask", "transform", published())
    area = study.elements["hask"].area.value
    assert area == pytest.approx(published().own_area)
    node = explain_setting(study, next(iter(study.conditions)), "hask", "area")
    assert node.recomputed() == area
    study = edits.choose(study, "hask", "transform", SnyderUnitHydrograph())
    assert study.elements["hask"].area.value is None
