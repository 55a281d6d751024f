"""Channels designed: shapes against integrals, each unknown back from the others, velocities that do not scour."""

import numpy as np
import pytest
from scipy.integrate import quad

from tarnwater.errors import BadInput, UnknownName
from tarnwater.routing.channels import Parabola, Pipe, Trapezoid
from tarnwater.routing.channels.design import (
    checked_channel,
    fastest_trapezoid,
    ground_named,
    grounds,
    roughness_for,
    size_for,
    slope_for,
    trapezoid_for_velocity,
)
from tarnwater.routing.channels.section import GRAVITY

#: A published example: 2 m wide, 1 on 1.5, n 0.03, slope 0.004, 7.728 m3/s flow 1.2 m deep.
DITCH, FLOW, SLOPE, DEPTH = Trapezoid(bottom_width=2.0, side_slope=1.5, roughness=0.03), 7.728, 0.004, 1.2


@pytest.mark.parametrize("depth", [0.05, 0.4, 0.8, 1.3])
def test_a_parabola_has_the_area_and_the_arc_of_the_integrals(depth):
    section = Parabola(top_width=5.0, bank_height=0.8)
    half = 2.5 * np.sqrt(depth / 0.8)
    area = quad(lambda y: 2 * 2.5 * np.sqrt(y / 0.8), 0, depth)[0]
    arc = 2 * quad(lambda x: np.sqrt(1 + (2 * 0.8 * x / 2.5**2) ** 2), 0, half)[0]
    assert float(section.area(np.array(depth))) == pytest.approx(area, rel=1e-9)
    assert float(section.wetted(np.array(depth))) == pytest.approx(arc, rel=1e-9)
    assert float(section.width(np.array(depth))) == pytest.approx(2 * half, rel=1e-12)


def test_a_parabola_is_critical_where_its_closed_form_says():
    section, flow = Parabola(top_width=5.0, bank_height=0.8), 3.0
    # Q² t = g A³ with t = c √y and A = 2/3 c y^1.5
    c = 5.0 / np.sqrt(0.8)
    closed = (27 * flow**2 / (8 * GRAVITY * c**2)) ** 0.25
    assert section.critical_depth(flow) == pytest.approx(closed, rel=1e-4)


def test_an_empty_parabola_carries_nothing():
    section = Parabola()
    for part in (section.area, section.wetted, section.conveyance):
        assert float(part(np.array(0.0))) == 0.0


def test_each_unknown_comes_back_from_the_others():
    assert DITCH.normal_depth(FLOW, SLOPE) == pytest.approx(DEPTH, rel=1e-4)
    flow = float(DITCH.normal_flow(np.array(DEPTH), SLOPE))
    assert slope_for(DITCH, flow, DEPTH) == pytest.approx(SLOPE, rel=1e-12)
    assert roughness_for(DITCH, flow, SLOPE, DEPTH) == pytest.approx(0.03, rel=1e-12)
    for field, value, low, high in (("bottom_width", 2.0, 0.0, 50.0), ("side_slope", 1.5, 0.0, 10.0)):
        assert size_for(DITCH, field, flow, SLOPE, DEPTH, low, high) == pytest.approx(value, rel=1e-8)
    pipe = Pipe(diameter=0.9, roughness=0.013)
    full = float(pipe.normal_flow(np.array(0.45), 0.01))
    assert size_for(pipe, "diameter", full, 0.01, 0.45, 0.5, 3.0) == pytest.approx(0.9, rel=1e-6)


def test_a_size_that_no_bound_carries_is_refused_with_what_they_carry():
    with pytest.raises(BadInput, match=r"no bottom width between the bounds carries 50 m³/s.*they carry"):
        size_for(DITCH, "bottom_width", 50.0, SLOPE, DEPTH, 0.5, 3.0)
    with pytest.raises(BadInput, match="no water"):
        slope_for(DITCH, 1.0, 0.0)


@pytest.mark.parametrize("side_slope", [0.0, 1.5, 4.0])
@pytest.mark.parametrize("velocity", [0.5, 0.8, 1.1])
def test_a_trapezoid_for_a_velocity_has_it(side_slope, velocity):
    made = trapezoid_for_velocity(2.5, 0.003, 0.025, side_slope, velocity)
    uniform = made.at_flow(2.5, 0.003)
    assert uniform.velocity == pytest.approx(velocity, rel=1e-6)
    assert uniform.depth == pytest.approx(made.bank_height, rel=1e-6)
    assert made.side_slope == side_slope


def test_a_velocity_that_no_section_reaches_is_refused_with_the_fastest():
    fastest = fastest_trapezoid(2.5, 0.003, 0.025, 1.5)
    # no width is faster, and the best one is as fast
    widths = np.linspace(0.01, 6.0, 400)
    speeds = [Trapezoid(bottom_width=w, side_slope=1.5, roughness=0.025).at_flow(2.5, 0.003).velocity for w in widths]
    assert max(speeds) == pytest.approx(fastest, rel=1e-4)
    assert max(speeds) <= fastest
    trapezoid_for_velocity(2.5, 0.003, 0.025, 1.5, 0.999 * fastest)
    with pytest.raises(BadInput, match="no trapezoid carries 2.5 m³/s at 5 m/s: the fastest has"):
        trapezoid_for_velocity(2.5, 0.003, 0.025, 1.5, 5.0)


def test_a_channel_that_scours_or_spills_is_told():
    clay = ground_named("stiff clay")
    assert (clay.clear, clay.roughness) == (1.14, 0.025)
    ditch = Trapezoid(bottom_width=0.6, side_slope=1.5, bank_height=0.5, roughness=clay.roughness)
    fast = checked_channel(ditch, 0.6, 0.02, clay.clear)
    assert (fast.scours, fast.spills) == (True, False)
    deep = checked_channel(ditch, 2.0, 0.0005, clay.clear)
    assert (deep.scours, deep.spills) == (False, True)
    assert deep.freeboard == pytest.approx(0.5 - deep.uniform.depth)
    assert not checked_channel(ditch, 0.6, 0.02).scours
    full = checked_channel(Pipe(diameter=0.3, roughness=0.013), 1.0, 0.001)
    assert full.spills


def test_the_grounds_are_those_of_the_table():
    assert len(grounds()) == 13
    assert all(0 < one.clear <= one.silty for one in grounds().values())
    with pytest.raises(UnknownName, match="Stiff clay"):
        ground_named("stif clay")
