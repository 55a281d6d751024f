"""A reach below a pond whose water the pond feels."""

import numpy as np
import pytest

from tarnwater.network.elements import Inflow, Link, Outfall, Pond, Reach
from tarnwater.network.engine import Batch, compute
from tarnwater.network.graph import Network
from tarnwater.rain.storms import Rain
from tarnwater.routing.channels import Trapezoid
from tarnwater.routing.ponds import Prism, RatedTailwater, TailwaterBelow
from tarnwater.routing.reaches import MuskingumCunge, Passing
from tarnwater.routing.works import RectangularOrifice

HOUR = 3600.0
CHANNEL = MuskingumCunge(section=Trapezoid(bottom_width=1.5, side_slope=1.0), channel_length=400.0, bed_slope=0.001)


def reach(**own):
    return Reach(**({"name": "Ditch", "method": CHANNEL, "bed_level": -0.3} | own)).refreshed()


def network(tailwater, *, beside=False, ditch=None):
    pond = Pond(name="Pond", storage=(Prism(depth=4.0, plan_area=3000.0),), tailwater=tailwater,
                devices=(RectangularOrifice(name="gate", bottom=0.0, width=1.0, height=1.0),))  # fmt: skip
    flood = Inflow(name="Beck", times=(0.0, 2 * HOUR, 6 * HOUR), flows=(0.1, 4.0, 0.1))
    elements = {"beck": flood, "pond": pond, "ditch": ditch or reach(), "out": Outfall(name="Out")}
    links = {"a": Link(up="beck", down="pond"), "b": Link(up="pond", down="ditch"), "c": Link(up="ditch", down="out")}
    if beside:
        elements["side"] = Inflow(name="Side", times=(0.0, HOUR, 9 * HOUR), flows=(0.0, 3.0, 0.0))
        links["d"] = Link(up="side", down="ditch")
    return Network(elements, links)


def run(net):
    return compute(Batch(net, Rain(np.zeros((1, 1)), 300.0), 300.0, 120)).responses


def test_the_level_of_a_reach_is_its_bed_and_the_depth_of_uniform_flow():
    found = run(network(TailwaterBelow(element="ditch")))["ditch"]
    flow = run(network(TailwaterBelow(element="ditch")))["pond"].flow[0]
    section = CHANNEL.section
    for step in (10, 30, 60):
        depth = section.normal_depth(float(flow[step]), 0.001)
        # straight between the depths of a table with steps of 1.5 %
        assert found.level[0, step] == pytest.approx(-0.3 + depth, abs=2e-4)


def test_a_pond_that_feels_a_reach_equals_one_with_the_rating_of_its_section():
    ditch = reach()
    flows = np.linspace(0, 8, 400)
    levels = ditch.level_of(flows)
    rated = RatedTailwater(flows=tuple(flows.tolist()), levels=tuple(levels.tolist()))
    felt, known = run(network(TailwaterBelow(element="ditch")))["pond"], run(network(rated))["pond"]
    # both come to the same level behind: one by the search at each time, one by the rating
    assert felt.top.values[0] == pytest.approx(known.top.values[0], abs=3e-3)
    assert felt.flow[0] == pytest.approx(known.flow[0], abs=0.02)
    assert np.abs(felt.balance.error).max() < 1e-9


def test_other_water_in_the_reach_holds_the_pond_back():
    alone, beside = (
        run(network(TailwaterBelow(element="ditch"))),
        run(network(TailwaterBelow(element="ditch"), beside=True)),
    )
    assert beside["pond"].top.values[0] > alone["pond"].top.values[0] + 0.02


def test_a_reach_without_a_bed_level_or_a_section_has_none():
    assert reach().has_level
    assert not reach(bed_level={}).has_level
    assert not Reach(name="Ditch", bed_level=1.0, method=Passing()).has_level
