"""Channel sections: geometry, normal and critical depth, roughness zones, water that is not connected."""

import numpy as np
import pytest

from tarnwater.errors import BadInput
from tarnwater.routing.channels import Pipe, SurveyedSection, Trapezoid


def at(section, name, depth):
    return float(getattr(section, name)(np.array(float(depth))))


def test_a_published_normal_depth():
    found = Trapezoid(bottom_width=2, side_slope=1.5, roughness=0.03).at_flow(7.728, 0.004)
    assert found.depth == pytest.approx(1.2, abs=1e-4)
    assert found.area == pytest.approx(4.56, abs=1e-3)
    assert found.velocity == pytest.approx(1.6947, abs=1e-4)


@pytest.mark.parametrize(
    "section", [Trapezoid(), Trapezoid(bottom_width=0), Trapezoid(side_slope=0), Pipe(diameter=3.0)]
)
@pytest.mark.parametrize("flow", [0.05, 0.8, 3.0, 9.0])
def test_mannings_equation_by_inversion(section, flow):
    depth = section.normal_depth(flow, 0.003)
    assert at(section, "area", depth) ** (5 / 3) / at(section, "wetted", depth) ** (
        2 / 3
    ) / section.roughness * 0.003**0.5 == (pytest.approx(flow, rel=1e-10))


def test_above_its_banks_a_channel_goes_on():
    section = Trapezoid(bank_height=0.5)
    assert section.normal_depth(500.0, 0.001) > 3


def test_the_critical_depth_of_a_rectangle_and_a_triangle_are_closed():
    assert Trapezoid(bottom_width=4, side_slope=0).critical_depth(10.0) == pytest.approx(
        (2.5**2 / 9.81) ** (1 / 3), rel=1e-9
    )
    assert Trapezoid(bottom_width=0, side_slope=2).critical_depth(10.0) == pytest.approx(
        (2 * 100 / (9.81 * 4)) ** 0.2, rel=1e-9
    )


def test_at_the_critical_depth_the_froude_number_is_one():
    section = Trapezoid()
    yc = section.critical_depth(5.0)
    area, width = at(section, "area", yc), at(section, "width", yc)
    assert 25 * width / (9.81 * area**3) == pytest.approx(1, rel=1e-9)


def test_a_full_pipe_and_its_greatest_conveyance():
    pipe = Pipe(diameter=1.2, roughness=0.013)
    full = np.pi / 4 * 1.44 * 0.3 ** (2 / 3) / 0.013
    assert at(pipe, "conveyance", 1.2) == pytest.approx(full)
    depths = np.linspace(0.5, 1.2, 2001)
    # 0.938 D, by every handbook
    assert depths[np.argmax(pipe.conveyance(depths))] / 1.2 == pytest.approx(0.938, abs=1e-3)


def test_near_full_a_pipe_carries_one_flow_at_two_depths_and_beyond_none():
    pipe = Pipe(diameter=1.2, roughness=0.013)
    full = float(pipe.normal_flow(np.array(1.2), 0.004))
    low, high = pipe.normal_depth(1.03 * full, 0.004), pipe.second_normal_depth(1.03 * full, 0.004)
    assert low < 0.938 * 1.2 < high
    for depth in (low, high):
        assert float(pipe.normal_flow(np.array(depth), 0.004)) == pytest.approx(1.03 * full, rel=1e-9)
    assert pipe.second_normal_depth(0.9 * full, 0.004) is None
    assert pipe.normal_depth(1.1 * full, 0.004) == np.inf
    assert not np.isfinite(pipe.at_flow(1.1 * full, 0.004).depth)


def points(section, **own):
    return SurveyedSection(
        **{"roughness": (0.03,) * len(section[0]), "stations": section[0], "heights": section[1]} | own
    )


TRAPEZOID = (0.0, 3.0, 5.0, 8.0), (12.0, 10.0, 10.0, 12.0)


@pytest.mark.parametrize("depth", [0.1, 0.7, 1.5, 2.0])
def test_a_trapezoid_given_as_points_is_the_trapezoid(depth):
    section, shape = points(TRAPEZOID), Trapezoid(bottom_width=2, side_slope=1.5, roughness=0.03)
    for name in ("area", "wetted", "width", "conveyance"):
        assert at(section, name, depth) == pytest.approx(at(shape, name, depth), rel=1e-12), name
    assert section.critical_depth(4.0) == pytest.approx(shape.critical_depth(4.0), rel=1e-9)


def test_above_its_ends_the_sides_go_straight_up():
    section = points(TRAPEZOID)
    assert at(section, "width", 3.0) == pytest.approx(8.0)
    assert at(section, "area", 3.0) == pytest.approx(10.0 + 8.0)
    assert at(section, "wetted", 3.0) == pytest.approx(2 + 2 * np.hypot(3, 2) + 2)


TWO = (0.0, 0.0, 4.0, 4.0, 10.0, 10.0, 14.0, 14.0), (5.0, 0.0, 0.0, 3.0, 3.0, 1.0, 1.0, 5.0)


def test_water_stands_only_where_it_is_connected_unless_it_may_stand_everywhere():
    section = points(TWO)
    assert at(section, "area", 2.0) == pytest.approx(8.0)
    assert at(points(TWO, water="everywhere"), "area", 2.0) == pytest.approx(8.0 + 4.0)
    assert at(section, "area", 3.5) == pytest.approx(4 * 3.5 + 6 * 0.5 + 4 * 2.5)


def test_zones_of_roughness_add_their_conveyances():
    flat = (0.0, 0.0, 10.0, 10.0, 14.0, 14.0, 24.0, 24.0), (5.0, 2.0, 2.0, 0.0, 0.0, 2.0, 2.0, 5.0)
    n = (0.08, 0.08, 0.03, 0.03, 0.03, 0.08, 0.08, 0.08)
    section = points(flat, roughness=n)
    bank = (10.0 * 1.0) ** (5 / 3) / 11.0 ** (2 / 3) / 0.08
    channel = (4.0 * 3.0) ** (5 / 3) / 8.0 ** (2 / 3) / 0.03
    assert at(section, "conveyance", 3.0) == pytest.approx(2 * bank + channel, rel=1e-12)


def test_of_several_critical_depths_the_one_of_least_energy_is_taken():
    flat = (0.0, 0.0, 40.0, 40.0, 42.0, 42.0, 82.0, 82.0), (9.0, 2.0, 2.0, 0.0, 0.0, 2.0, 2.0, 9.0)
    section = points(flat)
    for flow in (15.0, 25.0, 60.0):
        found = section.critical_depth(flow)
        depths = np.linspace(0.05, 6, 6000)
        energy = depths + (flow / section.area(depths)) ** 2 / (2 * 9.81)
        assert found == pytest.approx(depths[np.argmin(energy)], abs=2e-3)


@pytest.mark.parametrize(
    "made",
    [
        lambda: Trapezoid(bottom_width=-1), lambda: Trapezoid(roughness=0), lambda: Trapezoid(bank_height=0),
        lambda: Pipe(diameter=0), lambda: points(((0.0, 1.0), (1.0, 0.0))),
        lambda: points(((0.0, 2.0, 1.0), (1.0, 0.0, 1.0))), lambda: points(((0.0, 1.0, 2.0), (1.0, 1.0, 1.0))),
        lambda: points(TRAPEZOID, roughness=(0.03,)), lambda: points(TRAPEZOID, roughness=(0.03, 0.0, 0.03, 0.03)),
    ],
)  # fmt: skip
def test_a_section_that_cannot_be_is_refused(made):
    with pytest.raises((BadInput, ValueError)):
        made()


def test_no_flow_has_no_depth():
    assert Trapezoid().at_flow(0.0, 0.01).depth == 0 == Trapezoid().critical_depth(0.0)
