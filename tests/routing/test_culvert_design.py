"""Culverts under a road: headwaters, the share that flows over the road, and the size that is made."""

import numpy as np
import pytest

from tarnwater.errors import BadInput
from tarnwater.routing.works import BoxCulvert, BroadWeir, RoundPipe
from tarnwater.routing.works.culvert_design import culvert_check, full_flow, sized_culvert
from tarnwater.routing.works.made import MADE_PIPES, made_openings, made_pipes

PIPE = RoundPipe(bottom=100.0, outlet=99.8, length=20.0, diameter=0.9)


@pytest.mark.parametrize("flow", [0.1, 0.6, 1.2, 2.5])
@pytest.mark.parametrize("behind", [None, 100.9])
def test_the_headwater_is_the_level_at_which_the_device_lets_the_flow_through(flow, behind):
    found = culvert_check(PIPE, flow, behind)
    tail = np.array([99.8 if behind is None else behind])
    through = float(PIPE.flow(np.array([found.level]), tail)[0])
    # the device is read from its ratings between 160 tailwaters and its flows, to a thousandth
    assert through == pytest.approx(flow, rel=2e-3)
    assert found.level == pytest.approx(max(found.by_inlet, found.by_outlet, tail[0]), abs=1e-9)
    assert found.control == ("inlet" if found.by_inlet >= found.by_outlet else "outlet")


def test_barrels_share_the_flow_evenly():
    two = PIPE.model_copy(update={"barrels": 2})
    assert culvert_check(two, 2.4).level == pytest.approx(culvert_check(PIPE, 1.2).level, abs=1e-9)


def test_a_road_shares_the_flow_at_one_level_and_loses_nothing():
    road = BroadWeir(crest=101.4, length=8.0, coefficient=1.66)
    found = culvert_check(PIPE, 4.0, None, road)
    assert found.level > road.crest
    assert found.through + found.over_road == pytest.approx(4.0, rel=1e-12)
    over = 1.66 * 8.0 * (found.level - 101.4) ** 1.5
    assert found.over_road == pytest.approx(over, rel=1e-6)
    assert culvert_check(PIPE, found.through).level == pytest.approx(found.level, abs=1e-8)
    assert culvert_check(PIPE, 0.5, None, road).over_road == 0.0


def test_the_next_size_that_is_made_keeps_the_headwater_and_the_one_below_does_not():
    found = sized_culvert(PIPE, 1.5, 101.3)
    assert found.diameter in MADE_PIPES
    assert culvert_check(found, 1.5).level <= 101.3
    smaller = MADE_PIPES[MADE_PIPES.index(found.diameter) - 1]
    assert culvert_check(found.model_copy(update={"diameter": smaller}), 1.5).level > 101.3


def test_more_barrels_are_taken_only_where_one_does_not_do():
    low = sized_culvert(PIPE, 6.0, 101.0, made=(0.45, 0.6, 0.9))
    assert low.barrels > 1
    assert culvert_check(low, 6.0).level <= 101.0
    one_less = low.model_copy(update={"barrels": low.barrels - 1, "diameter": 0.9})
    assert culvert_check(one_less, 6.0).level > 101.0


def test_a_box_keeps_the_ratio_of_its_sides():
    box = BoxCulvert(bottom=100.0, outlet=99.9, length=12.0, width=1.2, height=0.6)
    found = sized_culvert(box, 3.0, 101.6, made=(0.6, 0.9, 1.2))
    assert found.width / found.height == pytest.approx(2.0)


def test_where_no_size_does_it_says_how_high_the_best_stands():
    with pytest.raises(BadInput) as told:
        sized_culvert(PIPE, 50.0, 100.2, made=(0.3, 0.6))
    told.value.in_units("SI")
    assert "no size that is made keeps 50 m³/s below 100.2 m" in str(told.value)
    assert "Allow a higher headwater" in str(told.value)


def test_the_full_pipe_on_its_slope_is_mannings():
    area, radius = np.pi * 0.81 / 4, 0.9 / 4
    assert full_flow(PIPE) == pytest.approx(area * radius ** (2 / 3) * np.sqrt(0.01) / 0.013, rel=1e-12)
    assert full_flow(PIPE.model_copy(update={"outlet": 100.0})) == 0.0


def test_sizes_are_made_in_round_millimetres_or_inches():
    for made in (made_pipes, made_openings):
        assert all(round(1e3 * size, 6) % 5 == 0 for size in made("SI"))
        assert all(round(size / 0.0254, 6) % 1 == 0 for size in made("US"))
        assert list(made("US")) == sorted(set(made("US")))
    assert made_pipes("US")[0] == pytest.approx(6 * 0.0254)
    assert made_openings("US")[-1] == pytest.approx(72 * 0.0254)
