"""Baseflow: by month, from a reservoir that infiltration feeds, and by recession."""

from datetime import datetime

import numpy as np
import pytest

from tarnwater.errors import OutOfRange, TarnwaterError
from tarnwater.network.elements import Catchment, Link, Outfall, Surface
from tarnwater.network.engine import Batch, compute
from tarnwater.network.graph import Network
from tarnwater.rain.storms import Rain
from tarnwater.runoff.baseflow import MonthlyBaseflow, OverGround, RecessionBaseflow, ReservoirBaseflow
from tarnwater.runoff.losses import InitialConstant, NoLoss
from tarnwater.runoff.transforms import TriangularUnitHydrograph

DAY = 86400.0


def dry(step, steps, **given):
    return OverGround(step, steps, np.zeros((1, steps + 1)), **given)


# by month


def test_the_flow_of_a_month_changes_at_its_end():
    found = MonthlyBaseflow(january=2.0, february=5.0).respond(dry(3600.0, 6, begins=datetime(2020, 1, 31, 21)))
    assert found.flow[0] == pytest.approx([2, 2, 2, 5, 5, 5, 5], abs=0)
    assert found.volume[0] == 3600.0 * (2 * 2 + 3.5 + 3 * 5)


def test_a_leap_day_belongs_to_february():
    found = MonthlyBaseflow(february=5.0, march=1.0).respond(dry(DAY, 2, begins=datetime(2020, 2, 28)))
    assert list(found.flow[0]) == [5.0, 5.0, 1.0]


def test_a_storm_without_a_date_has_the_greatest_month_or_the_chosen_one():
    flows = {"january": 2.0, "november": 5.0}
    assert MonthlyBaseflow(**flows).respond(dry(60.0, 3)).flow.tolist() == [[5.0]]
    assert MonthlyBaseflow(**flows, undated="January").respond(dry(60.0, 3)).flow.tolist() == [[2.0]]


def test_a_month_that_does_not_exist_is_refused():
    with pytest.raises(TarnwaterError, match="Smarch"):
        MonthlyBaseflow(undated="Smarch")


# the reservoir


def test_groundwater_without_feed_recedes_exponentially_at_any_step():
    for step in (60.0, 3600.0, 5 * DAY):
        found = ReservoirBaseflow(share=0.5, storage_time=2 * DAY, flow=3.0).respond(
            dry(step, 20, entered=np.zeros((1, 0)))
        )
        times = step * np.arange(21)
        assert found.flow[0] == pytest.approx(3.0 * np.exp(-times / (2 * DAY)), rel=1e-12)


def test_an_even_feed_raises_the_flow_to_it_as_the_exact_solution():
    step, steps, held = 3600.0, 500, 2 * DAY
    entered = np.full((1, steps), 7200.0)
    found = ReservoirBaseflow(share=0.25, storage_time=held).respond(dry(step, steps, entered=entered))
    feed = 0.25 * 7200.0 / step
    assert found.flow[0] == pytest.approx(feed * -np.expm1(-step * np.arange(steps + 1) / held), rel=1e-10)
    # what is fed in either flows out or is held
    out = (0.5 * step * (found.flow[:, 1:] + found.flow[:, :-1]) + found.uneven).sum()
    assert found.fed[0] == pytest.approx(out + found.stored[0], rel=1e-12)


def test_what_does_not_feed_the_groundwater_is_a_loss_of_the_catchment():
    surfaces = (Surface(share=0.75, loss=InitialConstant(initial=10.0, constant=3.0), depression=2.0),
                Surface(share=0.25, loss=NoLoss(), connected_impervious=True))  # fmt: skip
    ground = ReservoirBaseflow(share=0.4, storage_time=3 * DAY, flow=0.5)
    land = Catchment(name="Hask", area=2e6, lag=3600.0, surfaces=surfaces, baseflow=ground).refreshed()
    network = Network({"a": land, "o": Outfall(name="o")}, {"l": Link(up="a", down="o")})
    rain = Rain(np.full((1, 12), 5.0), 1800.0)
    response = compute(Batch(network, rain, 600.0, 200)).responses["a"]
    # 10 mm of the first two steps and 1.5 mm of each of the ten others enter, on three quarters of 2 km2
    entered = 0.75 * (10.0 + 10 * 1.5) * 2e3
    assert response.balance.losses[0] == pytest.approx(0.6 * entered, rel=1e-12)
    assert abs(response.balance.error[0]) < 1e-12
    assert response.base[0, 0] == 0.5
    assert response.base.shape == (1, 201)


# the recession


def test_a_recession_alone_falls_by_its_ratio_each_day():
    found = RecessionBaseflow(flow=8.0, ratio=0.5).respond(dry(DAY / 4, 12))
    assert found.flow[0, ::4] == pytest.approx([8.0, 4.0, 2.0, 1.0], rel=1e-12)


def exponential_flood(step, steps):
    """Direct runoff that leaps to 100 m3/s after a day and falls by e in each half day."""
    times = step * np.arange(steps + 1)
    return np.where(times < DAY, 0.0, 100.0 * np.exp(-(times - DAY) / (DAY / 2)))[None, :]


@pytest.mark.parametrize("takeover", [{"takeover": 0.1}, {"takeover_flow": 10.0}])
def test_the_recession_takes_over_where_the_flood_has_fallen_to_its_line(takeover):
    step, steps = DAY / 96, 6 * 96
    direct = exponential_flood(step, steps)
    found = RecessionBaseflow(ratio=0.8, **takeover).respond(OverGround(step, steps, direct))
    total = direct + found.flow
    begun = DAY + DAY / 2 * np.log(10)
    times = step * np.arange(steps + 1)
    before, after = times <= begun, times > begun
    assert (found.flow[0, before] == 0).all()
    expected = 10.0 * 0.8 ** ((times[after] - begun) / DAY)
    # the flood is a chord within a step of a quarter of an hour, which moves the crossing by a second or so
    assert total[0, after] == pytest.approx(np.maximum(expected, direct[0, after]), rel=2e-5)
    assert (found.flow >= 0).all()


def test_the_takeover_converges_with_the_second_power_of_the_step():
    lasts = []
    for parts in (24, 48, 96, 3072):
        steps = 6 * parts
        given = OverGround(DAY / parts, steps, exponential_flood(DAY / parts, steps))
        lasts.append(RecessionBaseflow(ratio=0.8).respond(given).flow[0, -1])
    errors = np.abs(np.array(lasts[:3]) - lasts[3])
    # the chord of a curve is off by the square of the step; where in the step the crossing lies blurs it
    assert errors[2] < errors[0] / 6


def test_a_second_flood_stands_on_the_recession_of_the_first():
    step, steps = DAY / 24, 240
    direct = exponential_flood(step, steps) + 0.2 * np.roll(exponential_flood(step, steps), 100)
    direct[0, :100] = exponential_flood(step, steps)[0, :100]
    found = RecessionBaseflow(ratio=0.9).respond(OverGround(step, steps, direct))
    total = (direct + found.flow)[0]
    assert total[124] == direct[0, 124]
    # after it the recession goes on from a tenth of the second peak, which is less than that of the first
    assert 1.0 < total[-1] < 10.0
    assert (np.diff(total[200:]) < 0).all()


def test_flow_from_the_ground_is_counted_as_water_that_comes_in():
    land = Catchment(
        name="Hask", area=2e6, lag=3600.0, surfaces=(Surface(loss=NoLoss()),), baseflow=RecessionBaseflow(flow=0.3)
    )
    land = land.model_copy(update={"transform": TriangularUnitHydrograph()}).refreshed()
    network = Network({"a": land, "o": Outfall(name="o")}, {"l": Link(up="a", down="o")})
    response = compute(Batch(network, Rain(np.full((1, 6), 4.0), 600.0), 600.0, 300)).responses["a"]
    flow, base = response.flow[0], response.base[0]
    assert response.balance.baseflow[0] == pytest.approx(600.0 * np.trapezoid(base), rel=1e-12)
    assert flow[-1] == pytest.approx(base[-1], rel=1e-12)
    # the flood is the direct runoff alone
    assert response.summary.flood[0] == pytest.approx(2e3 * 24.0, rel=1e-3)


@pytest.mark.parametrize("wrong", [{"ratio": 0.0}, {"ratio": 1.0}, {"takeover": 0.0}, {"takeover": 1.0},
                                   {"flow": -0.1}, {"takeover_flow": -1.0}])  # fmt: skip
def test_a_recession_outside_its_limits_is_refused(wrong):
    with pytest.raises(OutOfRange):
        RecessionBaseflow(**wrong)
