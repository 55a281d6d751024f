"""Ponds: storage forms, ratings, and the level pool against closed forms and SciPy."""

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy.integrate import quad, solve_ivp

from tarnwater import states
from tarnwater.errors import BadInput
from tarnwater.hydrograph import Hydrograph
from tarnwater.routing.ponds import (
    Chambers,
    Contours,
    FixedTailwater,
    FreeOutfall,
    Frustum,
    Prism,
    RatedTailwater,
    StageVolume,
    Storage,
    TailwaterBelow,
    rate,
    route,
    start_of,
)
from tarnwater.routing.works import (
    BroadWeir,
    Infiltration,
    Outlets,
    Pump,
    RectangularOrifice,
    RoundOrifice,
    SharpWeir,
    TypedRating,
)

NOWHERE = -1e9
TANK = Storage([Prism(depth=5.0, plan_area=1000.0)])


def still(level, cases=1, storage=TANK):
    """A state at a level, with no pump running."""
    return np.full(cases, float(storage.volume(np.array(level)))), np.zeros(cases, np.int64)


def dry(hours, step):
    return Hydrograph(np.zeros((1, round(hours * 3600 / step) + 1)), step)


# storage


FORMS = [
    Frustum(bottom=1.0, depth=3.0, length=40, width=20, side_slope=2.5), Prism(bottom=1.0, depth=2.0, void_ratio=0.4),
    Contours(levels=(1, 2, 4), areas=(0, 500, 900)),
    Contours(levels=(1, 2, 4), areas=(100, 500, 500), rule="average-end"), Chambers(bottom=1.0),
]  # fmt: skip


@pytest.mark.parametrize("form", FORMS, ids=lambda f: f"{f.method} {getattr(f, 'rule', '')}".strip())
def test_the_volume_of_a_form_is_the_integral_of_its_area(form):
    for level in np.linspace(form.floor, form.top, 7):
        bends = [b for b in form.bends if form.floor < b < level]
        expected = quad(lambda z: float(form.area(np.array(z))), form.floor, level, points=bends or None, limit=300)[0]
        # what SciPy's integral promises
        assert float(form.volume(np.array(level))) == pytest.approx(expected, rel=1e-7, abs=1e-7)


def test_a_cone_a_wedge_and_a_pyramid_have_their_volumes():
    cone = Contours(levels=(0, 3), areas=(0, 90))
    assert float(cone.volume(np.array(3.0))) == pytest.approx(90.0)
    assert float(cone.volume(np.array(1.5))) == pytest.approx(90 / 8)
    wedge = Contours(levels=(0, 3), areas=(0, 90), rule="average-end")
    assert float(wedge.volume(np.array(3.0))) == pytest.approx(135.0)
    pyramid = Frustum(depth=3.0, length=1e-9, width=1e-9, side_slope=2)
    assert float(pyramid.volume(np.array(3.0))) == pytest.approx(12 * 12 * 3 / 3)


def test_chambers_hold_their_pipes_and_the_voids_of_the_stone():
    form = Chambers(depth=1.5, bed_area=200, void_ratio=0.4, diameter=0.9, pipe_length=100)
    pipes = np.pi / 4 * 0.9**2 * 100
    assert float(form.volume(np.array(9.0))) == pytest.approx(pipes + 0.4 * (300 - pipes))


def test_a_stage_volume_table_is_used_as_it_is_and_its_area_is_nowhere_below_zero():
    form = StageVolume(levels=(1, 2, 3, 4), volumes=(50, 100, 100, 500))
    assert form.volume(np.array([0.0, 1.0, 1.5, 4.0, 9.0])) == pytest.approx([0, 0, 25, 450, 450])
    assert (form.area(np.linspace(0, 5, 200)) >= 0).all()


def test_a_slip_in_one_volume_makes_the_area_swing_and_a_smooth_table_does_not():
    levels = np.linspace(0.0, 4.0, 9)
    cone = 100 * levels + 30 * levels**2 + 3 * levels**3
    assert StageVolume(levels=tuple(levels), volumes=tuple(cone)).swing == pytest.approx(0.0, abs=1e-12)
    slip = cone.copy()
    # 20 m3 too much: 40 m2 too much below, and too little above, of 443.5 m2
    slip[4] += 20.0
    areas = np.diff(slip) / 0.5
    back = (areas[3] - areas[4]) / areas.max()
    assert StageVolume(levels=tuple(levels), volumes=tuple(slip)).swing == pytest.approx(back, rel=1e-9)
    assert StageVolume(levels=(0.0, 1.0), volumes=(0.0, 0.0)).swing == 0.0
    assert StageVolume(levels=(0.0, 1.0, 2.0, 3.0), volumes=(0.0, 9.0, 15.0, 18.0)).swing == 0.0


def test_parts_of_a_storage_add_up():
    low, high = Prism(depth=2.0, plan_area=100), Prism(bottom=1.0, depth=3.0, plan_area=50)
    storage = Storage([low, high])
    assert (storage.floor, storage.top) == (0.0, 4.0)
    assert float(storage.volume(np.array(3.0))) == pytest.approx(200 + 100)


def test_a_gap_in_the_storage_is_found():
    assert Storage([Prism(depth=1.0), Prism(bottom=1.5, depth=1.0)]).gap == (1.0, 1.5)
    assert Storage([StageVolume(levels=(0, 1, 2, 3), volumes=(0, 5, 5, 9))]).gap == (1.0, 2.0)
    assert TANK.gap is None


@pytest.mark.parametrize(
    "made",
    [
        lambda: Contours(levels=(0, 1), areas=(0, 0)), lambda: Contours(levels=(1, 0), areas=(1, 2)),
        lambda: Contours(levels=(0, 1), areas=(1, -2)), lambda: StageVolume(levels=(0, 1), volumes=(5, 2)),
        lambda: StageVolume(levels=(0,), volumes=(5,)), lambda: Chambers(depth=0.5), lambda: Chambers(pipe_length=900),
        lambda: Prism(plan_area=0), lambda: Prism(void_ratio=0), lambda: Prism(void_ratio=1.1),
        lambda: Frustum(depth=0), lambda: RatedTailwater(flows=(0, 1), levels=(2, 1)),
    ],
)  # fmt: skip
def test_a_table_or_a_size_that_cannot_be_is_refused(made):
    with pytest.raises((BadInput, ValueError)):
        made()


# the level pool against closed forms


@pytest.mark.parametrize("step", [30, 300, 900, 3600])
def test_linear_storage_empties_like_the_exponential(step):
    k = 1 / 3600
    rating = rate(TANK, Outlets([TypedRating(levels=(0, 5), flows=(0, k * 5000))]), FreeOutfall())
    pooled = route(rating, dry(3, step), still(4.0))
    # sub-steps keep the error of the trapezoid near 1e-3 after three times the time it needs to empty
    assert pooled.stored[0] == pytest.approx(4000 * np.exp(-3), rel=2e-3)
    assert pooled.ways[0].total[0] == pytest.approx(4000 - pooled.stored[0], rel=1e-12)


def test_halving_the_step_quarters_the_error():
    k = 1 / 36000
    rating = rate(TANK, Outlets([TypedRating(levels=(0, 5), flows=(0, k * 5000))]), FreeOutfall())
    errors = []
    for step in (1200, 600, 300):
        pooled = route(rating, dry(10, step), still(4.0))
        errors.append(abs(pooled.stored[0] - 4000 * np.exp(-1)))
    # so slow a pond takes no sub-steps, and the trapezoid is of second order
    assert errors[0] / errors[1] == pytest.approx(4, rel=0.05)
    assert errors[1] / errors[2] == pytest.approx(4, rel=0.05)


@pytest.mark.parametrize("step", [60, 600, 1800])
def test_a_prism_drains_through_an_orifice_in_closed_form(step):
    slot = RectangularOrifice(bottom=-0.0005, width=5.0, height=0.001)
    rating = rate(TANK, Outlets([slot]), FreeOutfall())
    pooled = route(rating, dry(12, step), still(4.0))
    fall = 0.6 * 0.005 * np.sqrt(2 * 9.81) / (2 * 1000)
    expected = (2.0 - fall * 12 * 3600) ** 2
    # the rating is linear between its 800 levels
    assert pooled.level[0, -1] == pytest.approx(expected, abs=2e-4)
    assert rating.drawdown(4.0, expected) == pytest.approx(12 * 3600, rel=1e-4)


def test_a_pond_soaks_away_in_closed_form_and_what_soaks_away_is_counted():
    device = Infiltration(rate=36.0, wetted_area=1000.0)
    rating = rate(TANK, Outlets([device]), FreeOutfall())
    pooled = route(rating, dry(10, 600), still(1.0))
    assert pooled.level[0, -1] == pytest.approx(1.0 - 0.36, abs=1e-9)
    assert pooled.ground[0] == pytest.approx(360.0)
    assert pooled.ways[0].total[0] == 0


def test_a_pump_runs_between_its_two_levels():
    pump = Pump(starts=2.0, stops=1.0, capacity=0.5)
    rating = rate(TANK, Outlets([pump]), FreeOutfall())
    inflow = Hydrograph(np.full((1, 361), 0.1), 60.0)
    pooled = route(rating, inflow, still(1.5))
    rising, level = pooled.ways[0].flow[0] == 0, pooled.level[0]
    # 500 m3 at 0.1 m3/s fill it to the start, then 1000 m3 at 0.4 m3/s empty it to the stop
    started = np.flatnonzero(~rising)[0] * 60
    stopped = np.flatnonzero(rising & (np.arange(361) * 60 > started))[0] * 60
    assert started == pytest.approx(5000, abs=120)
    assert stopped - started == pytest.approx(2500, abs=120)
    assert level.max() < 2.01
    assert 500 + 0 + inflow.total[0] - pooled.ways[0].total[0] == pytest.approx(pooled.stored[0] - 1000, rel=1e-9)


# the level pool against SciPy


def flood(peak=4.0, step=300.0, hours=20, cases=1):
    t = np.arange(round(hours * 3600 / step) + 1) * step
    return Hydrograph(np.tile(peak * (t / 7200) ** 2 * np.exp(2 - 2 * t / 7200), (cases, 1)), step)


WORKS = [RoundOrifice(name="low", bottom=0.0, diameter=0.5), BroadWeir(name="spillway", crest=2.0, length=5.0)]
PIT = Storage([Frustum(depth=4.0, length=60, width=40, side_slope=3)])


def by_scipy(storage, flow_of, inflow, level):
    """Levels by a fine integration of dh/dt = (I − O) / A."""
    t = np.arange(inflow.flow.shape[1]) * inflow.step

    def rise(now, h):
        gained = np.interp(now, t, inflow.flow[0]) - flow_of(h)
        return gained / storage.area(h)

    solved = solve_ivp(rise, (0, t[-1]), [level], dense_output=True, rtol=1e-9, atol=1e-10, max_step=60).sol
    return solved(t)[0], solved(np.linspace(0, t[-1], 20_000))[0].max()


@pytest.mark.parametrize("step", [60.0, 300.0, 900.0])
@pytest.mark.parametrize("peak", [1.0, 4.0, 12.0])
def test_a_flood_through_a_pond_is_that_of_scipy(step, peak):
    outlets = Outlets(WORKS)
    inflow = flood(peak, step)

    def flow_of(h):
        return sum(one.flow(np.asarray(h), np.full(np.shape(h), NOWHERE)) for one in WORKS)

    expected, highest = by_scipy(PIT, flow_of, inflow, 1e-6)
    pooled = route(rate(PIT, outlets, FreeOutfall()), inflow, still(0.0, storage=PIT))
    # the steps of the run, not those of SciPy, hold the error: the sub-steps keep it below 1 mm of 3 m
    assert np.abs(pooled.level[0] - expected).max() < 2e-3
    assert pooled.whole.values[0] == pytest.approx(flow_of(highest), rel=2e-3)
    assert pooled.top.values[0] == pytest.approx(highest, abs=1e-3)


def test_the_peak_is_found_inside_the_substeps():
    rating, inflow = rate(PIT, Outlets(WORKS), FreeOutfall()), flood(12.0, 3600.0)
    pooled = route(rating, inflow, still(0.0, storage=PIT))
    # the same straight pieces of inflow in steps of two minutes
    times = np.arange((inflow.flow.shape[1] - 1) * 30 + 1) * 120.0
    same = Hydrograph(np.interp(times, np.arange(inflow.flow.shape[1]) * 3600.0, inflow.flow[0])[None, :], 120.0)
    fine = route(rating, same, still(0.0, storage=PIT))
    assert pooled.whole.values[0] > pooled.ways[0].flow[0].max()
    assert pooled.top.values[0] > pooled.level[0].max()
    assert pooled.whole.values[0] == pytest.approx(fine.ways[0].flow[0].max(), rel=2e-3)
    assert pooled.top.times[0] == pytest.approx(fine.top.times[0], abs=300)


def test_above_the_top_the_level_stays_and_the_surplus_overflows():
    small = Storage([Prism(depth=1.0, plan_area=100.0)])
    rating = rate(small, Outlets([RoundOrifice(diameter=0.2)]), FreeOutfall())
    inflow = flood(3.0)
    for spill, joined in ((0, True), (-1, False)):
        pooled = route(rating, inflow, still(0.0, storage=small), spill=spill)
        out = pooled.ways[0].total[0] + (0.0 if joined else pooled.spilled[0])
        assert pooled.level.max() == 1.0
        assert pooled.spilled[0] > 1000
        assert pooled.start_stored[0] + inflow.total[0] == pytest.approx(pooled.stored[0] + out, rel=1e-12)
        # limits are judged on what flows over the top, too
        assert pooled.whole.values[0] == pytest.approx(inflow.flow.max(), rel=1e-3)
        assert (pooled.peaks[0].values[0] > 1) == joined


def test_an_all_but_empty_pond_gives_no_more_than_it_has():
    speck = Storage([Prism(depth=2.0, plan_area=0.5)])
    rating = rate(speck, Outlets([SharpWeir(length=20.0, crest=0.0)]), FreeOutfall())
    inflow = flood(5.0, 900.0)
    pooled = route(rating, inflow, still(0.0, storage=speck))
    assert pooled.ways[0].flow.min() >= 0
    assert pooled.ways[0].flow.max() == pytest.approx(inflow.flow.max(), rel=0.01)
    assert pooled.ways[0].total[0] + pooled.stored[0] == pytest.approx(inflow.total[0], rel=1e-12)


def test_the_two_kernels_agree():
    # a pump that never starts takes the other kernel
    lazy = Pump(starts=3.99, stops=3.98, capacity=0.0)
    inflow = flood(6.0, cases=2)
    plain = route(rate(PIT, Outlets(WORKS), FreeOutfall()), inflow, still(0.0, 2, PIT))
    other = route(rate(PIT, Outlets([*WORKS, lazy]), FreeOutfall()), inflow, still(0.0, 2, PIT))
    # its rating has a few levels more, at which the pump would begin
    assert other.ways[0].flow == pytest.approx(plain.ways[0].flow, abs=2e-4)
    assert other.whole.values == pytest.approx(plain.whole.values, rel=1e-4)


# states


def test_a_run_cut_in_two_equals_the_run_in_one():
    rating, inflow = rate(PIT, Outlets(WORKS), FreeOutfall()), flood(6.0, cases=2)
    whole = route(rating, inflow, still(0.0, 2, PIT))
    first = route(rating, Hydrograph(inflow.flow[:, :41], 300.0), still(0.0, 2, PIT))
    second = route(rating, Hydrograph(inflow.flow[:, 40:], 300.0), states.cases_of(first.state, slice(None)))
    assert second.ways[0].flow == pytest.approx(whole.ways[0].flow[:, 40:], rel=1e-12)
    assert second.stored == pytest.approx(whole.stored, rel=1e-12)


def test_a_batch_equals_one_by_one_to_the_last_bit():
    rating = rate(PIT, Outlets(WORKS), FreeOutfall())
    inflow = Hydrograph(np.vstack([flood(p).flow for p in (0.5, 3.0, 12.0)]), 300.0)
    together = route(rating, inflow, still(0.0, 3, PIT))
    for case in range(3):
        alone = route(rating, inflow.of(slice(case, case + 1)), still(0.0, 1, PIT))
        assert (alone.ways[0].flow[0] == together.ways[0].flow[case]).all()
        assert alone.whole.values[0] == together.whole.values[case]


def test_without_a_start_level_a_run_begins_in_balance_with_its_inflow():
    rating = rate(PIT, Outlets(WORKS), FreeOutfall())
    inflow = np.array([0.0, 0.3, 1e6])
    held, _ = start_of(rating, inflow, None, 0.0)
    pooled = route(rating, Hydrograph(np.tile(inflow[:, None], 13), 300.0), (held, np.zeros(3, np.int64)))
    assert pooled.ways[0].flow[1] == pytest.approx(np.full(13, 0.3), rel=1e-9)
    assert pooled.level[0] == pytest.approx(np.zeros(13))
    assert pooled.level[2] == pytest.approx(np.full(13, 4.0))


# tailwater


def test_a_fixed_tailwater_holds_back_and_a_low_one_does_not():
    free = rate(PIT, Outlets(WORKS), FreeOutfall())
    low = rate(PIT, Outlets(WORKS), FixedTailwater(level=-2.0))
    high = rate(PIT, Outlets(WORKS), FixedTailwater(level=1.0))
    assert low.total == pytest.approx(free.total, rel=1e-12)
    assert 1.0 in high.levels
    assert high.total[0, high.levels <= 1.0].max() == 0
    assert (high.total[0] <= free.total[0] + 1e-12).all()


def test_flow_and_level_of_a_rated_tailwater_fit_each_other():
    tailwater = RatedTailwater(flows=(0.0, 1.0, 20.0), levels=(0.0, 1.5, 3.0))
    rating = rate(PIT, Outlets(WORKS), tailwater)
    behind = np.interp(rating.total[0], tailwater.flows, tailwater.levels)
    again = sum(one.flow(rating.levels, behind) for one in WORKS)
    # the flow falls steeply where both levels are nearly one
    assert again == pytest.approx(rating.total[0], abs=1e-6)


def test_two_ponds_even_out_as_by_scipy():
    orifice = RoundOrifice(bottom=0.0, diameter=0.6)
    upper = rate(TANK, Outlets([orifice]), TailwaterBelow(element="below"))
    below = Storage([Prism(depth=5.0, plan_area=400.0)])
    behind = None

    def fall(_, h):
        q = float(orifice.flow(np.array(h[0]), np.array(h[1])))
        return [-q / 1000, q / 400]

    expected = solve_ivp(fall, (0, 7200), [3.0, 0.2], t_eval=np.arange(121) * 60.0, rtol=1e-9, atol=1e-10).y
    behind = np.full((1, 121), 0.2)
    for _ in range(60):
        pooled = route(upper, dry(2, 60), still(3.0), behind)
        into = np.concatenate([[0.0], np.cumsum(pooled.ways[0].volume[0])])
        behind = ((0.2 * 400 + into) / 400)[None, :]
    assert below.top > behind.max()
    # the table of levels and heads, and the steps of a minute
    assert pooled.level[0] == pytest.approx(expected[0], abs=5e-3)
    assert behind[0] == pytest.approx(expected[1], abs=1e-2)
    assert pooled.ways[0].flow.min() >= 0


# balances


@given(
    st.floats(0.05, 1.0), st.floats(0.5, 30.0), st.floats(5, 200), st.floats(0, 2), st.floats(0.1, 50),
    st.sampled_from([60.0, 300.0, 1800.0]), st.floats(0, 3),
)  # fmt: skip
@settings(max_examples=60, deadline=None)
def test_random_ponds_balance(diameter, crest_length, side, slope, peak, step, start):
    storage = Storage([Frustum(depth=3.0, length=side, width=side / 2, side_slope=slope)])
    devices = [RoundOrifice(diameter=diameter), BroadWeir(crest=2.0, length=crest_length), Infiltration(rate=50.0)]
    inflow = flood(peak, step, 12)
    pooled = route(rate(storage, Outlets(devices), FreeOutfall()), inflow, still(start, storage=storage))
    came = pooled.start_stored[0] + inflow.total[0]
    went = pooled.stored[0] + pooled.ways[0].total[0] + pooled.ground[0]
    assert went == pytest.approx(came, rel=1e-9)
    assert pooled.ways[0].flow.min() >= 0
