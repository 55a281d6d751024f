"""Devices of ponds: their flows against integrals, published ratings and the equations of their sources."""

import typing

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy.integrate import quad, solve_ivp
from scipy.optimize import brentq

from tarnwater.errors import BadInput
from tarnwater.routing.works import (
    GRAVITY,
    BoxCulvert,
    BoxRiser,
    BroadWeir,
    Device,
    Infiltration,
    NotchWeir,
    Outlets,
    Pump,
    RectangularOrifice,
    RoundOrifice,
    RoundPipe,
    RoundRiser,
    SharpWeir,
    TrapezoidalWeir,
    TypedRating,
    inlets,
)
from tarnwater.routing.works._kernels import energy_upstream
from tarnwater.routing.works.plain import PlainOutlets

NOWHERE = -1e9


def at(device, level, behind=NOWHERE):
    return float(device.flow(np.array(float(level)), np.array(float(behind))))


def integral(width, coefficient, base, top, level, behind):
    """Flow through an opening by SciPy's integral, its drowned part under the difference of levels."""
    upper, drowned = min(max(level, base), top), min(max(min(behind, level), base), top)

    def velocity(z):
        return np.sqrt(2 * GRAVITY * max(level - z, 0.0))

    free = (
        quad(lambda z: width(z) * velocity(z), drowned, upper, epsabs=1e-13, limit=400)[0] if upper > drowned else 0.0
    )
    under = quad(width, base, drowned, epsabs=1e-13)[0] * np.sqrt(2 * GRAVITY * max(level - behind, 0.0))
    return coefficient * (free + under)


LEVELS = [0.9, 1.1, 1.25, 1.4, 1.5, 1.501, 1.6, 2.5, 9.0]
BEHIND = [NOWHERE, 0.5, 1.0, 1.2, 1.45, 1.55, 2.0]


@pytest.mark.parametrize("level", LEVELS)
@pytest.mark.parametrize("behind", BEHIND)
def test_a_round_orifice_is_the_integral_over_its_opening(level, behind):

    def width(z):
        return 2 * np.sqrt(max((z - 1.0) * (1.5 - z), 0.0))

    device = RoundOrifice(bottom=1.0, diameter=0.5)
    expected = integral(width, 0.6, 1.0, 1.5, level, behind) if behind < level else 0.0
    # what the quadrature leaves where the water is just above the opening
    assert at(device, level, behind) == pytest.approx(expected, abs=1e-9)


@pytest.mark.parametrize("level", LEVELS)
@pytest.mark.parametrize("behind", BEHIND)
def test_a_rectangular_orifice_is_the_integral_over_its_opening(level, behind):
    device = RectangularOrifice(bottom=1.0, width=0.7, height=0.5, coefficient=0.62)
    expected = integral(lambda z: 0.7, 0.62, 1.0, 1.5, level, behind) if behind < level else 0.0
    assert at(device, level, behind) == pytest.approx(expected, abs=1e-12)


def test_under_a_great_head_an_orifice_follows_torricelli():
    device = RoundOrifice(bottom=0.0, diameter=0.2)
    expected = 0.6 * np.pi / 4 * 0.2**2 * np.sqrt(2 * GRAVITY * 50)
    # of the head to the middle, the next term of the series is (d/h)²/128
    assert at(device, 50.1) == pytest.approx(expected, rel=1e-6)


def test_a_sharp_weir_is_the_francis_formula():
    assert at(SharpWeir(length=3.0, crest=2.0, contractions=2), 2.5) == pytest.approx(1.84 * (3 - 0.1) * 0.5**1.5)


def test_contractions_never_make_the_flow_fall_while_the_level_rises():
    device = SharpWeir(length=0.5, crest=0.0, contractions=2)
    flows = device.flow(np.linspace(0, 10, 500), np.full(500, NOWHERE))
    assert (np.diff(flows) >= 0).all()


def test_contractions_beyond_their_range_are_a_doubt():
    device = SharpWeir(length=1.0, crest=1.0, contractions=2)
    assert [d.code for d in device.doubts(0.0, 2.0)] == ["contractions-beyond-range"]
    assert device.doubts(0.0, 1.2) == []


def test_a_right_angled_notch_has_its_published_rating():
    # Q = 1.37 H^2.5 in m3/s and m, printed to three digits
    assert at(NotchWeir(angle=90.0), 0.4) == pytest.approx(1.37 * 0.4**2.5, rel=2e-3)


def test_a_trapezoidal_weir_is_a_rectangle_and_a_notch():
    device = TrapezoidalWeir(length=2.0, side_slope=0.5)
    notch = 1.84 * 0.8 * 0.5 * 0.6**2.5
    assert at(device, 0.6) == pytest.approx(at(SharpWeir(length=2.0), 0.6) + notch)


def test_a_broad_weir_carries_its_critical_flow():
    # (2/3)^1.5 √g = 1.705, which the handbooks round to 1.70
    assert at(BroadWeir(length=4.0), 0.5) == pytest.approx(4.0 * (2 / 3) ** 1.5 * np.sqrt(GRAVITY) * 0.5**1.5, rel=4e-3)


def test_a_drowned_sharp_crest_follows_villemonte():
    free, drowned = at(SharpWeir(), 0.5), at(SharpWeir(), 0.5, 0.25)
    assert drowned / free == pytest.approx((1 - 0.5**1.5) ** 0.385)


@pytest.mark.parametrize(
    ("ratio", "factor"), [(0.5, 1.0), (0.66, 1.0), (0.8, 0.8 * 0.2**0.5), (0.95, 0.95 * 0.05**0.5)]
)
def test_a_drowned_broad_crest_follows_the_energy_equation(ratio, factor):
    share = factor if factor == 1.0 else factor / (2 / 3 / 3**0.5)
    assert at(BroadWeir(), 1.0, ratio) / at(BroadWeir(), 1.0) == pytest.approx(share)


DEVICES = [
    RoundOrifice(), RectangularOrifice(), SharpWeir(), BroadWeir(), TrapezoidalWeir(), NotchWeir(),
    RoundPipe(outlet=-0.2), BoxCulvert(outlet=-0.2), RoundRiser(crest=0.1), BoxRiser(crest=0.1),
    TypedRating(levels=(0, 5), flows=(0, 1)),
]  # fmt: skip


@pytest.mark.parametrize("device", DEVICES, ids=lambda one: one.method)
def test_nothing_flows_at_equal_levels_and_nothing_flows_back(device):
    for level in (0.05, 0.5, 1.0, 3.0):
        assert at(device, level, level) == 0
        assert at(device, level, level + 0.5) == 0


@pytest.mark.parametrize("device", DEVICES, ids=lambda one: one.method)
def test_water_behind_a_device_never_lets_more_through(device):
    behind = np.linspace(-1.0, 2.0, 60)
    flows = device.flow(np.full(60, 2.0), behind)
    # a rating of a conduit is read from a table
    assert (np.diff(flows) <= 1e-9).all()


# conduits


def test_an_inlet_that_is_free_has_its_headwater_by_form_1():
    pipe = RoundPipe(diameter=1.0, length=30, bottom=0.3, outlet=0.0, inlet="concrete, square edge with headwall")
    flow = np.array([1.0])
    yc = brentq(lambda y: 1.0 - GRAVITY * _circle(y)[0] ** 3 / _circle(y)[1], 0.01, 0.999)
    energy = yc + 1.0 / (2 * GRAVITY * _circle(yc)[0] ** 2)
    x = 1.811 * 1.0 / (np.pi / 4)
    expected = 0.3 + energy + 0.0098 * x**2.0 - 0.5 * 0.01
    # the inlet governs on this slope
    assert pipe.headwaters(flow, np.array([-5.0]))[0, 0] == pytest.approx(expected, abs=1e-9)


def _circle(y, d=1.0):
    """Area and width of the water in a circle."""
    half = np.arccos(1 - 2 * y / d)
    return d * d / 4 * (half - np.sin(half) * np.cos(half)), 2 * np.sqrt(y * (d - y))


def test_a_drowned_inlet_has_its_headwater_by_the_drowned_form():
    pipe = RoundPipe(diameter=1.0, length=10, bottom=0.5, outlet=0.0)
    x = 1.811 * 3.0 / (np.pi / 4)
    expected = 0.5 + 0.0398 * x**2 + 0.67 - 0.5 * 0.05
    assert pipe.headwaters(np.array([3.0]), np.array([-5.0]))[0, 0] == pytest.approx(expected, rel=1e-12)


def test_between_the_forms_the_headwater_is_linear():
    pipe = RoundPipe(diameter=1.0, length=10, bottom=0.5, outlet=0.0)
    x = np.array([3.5, 3.75, 4.0])
    free, between, drowned = pipe.headwaters(x * np.pi / 4 / 1.811, np.array([-5.0]))[0]
    assert free < between < drowned


@pytest.mark.parametrize("inlet", [one for one in inlets().values() if one.shape == "circular"], ids=lambda i: i.title)
def test_a_full_barrel_follows_the_energy_equation(inlet):
    pipe = RoundPipe(diameter=0.8, length=60, bottom=0.1, outlet=0.0, roughness=0.02, inlet=inlet.title)
    q, tail = 0.9, 4.0
    area, radius = np.pi / 4 * 0.8**2, 0.2
    head = (q / area) ** 2 / (2 * GRAVITY)
    expected = tail + head * (1 + inlet.loss + 2 * GRAVITY * 0.02**2 * 60 / radius ** (4 / 3))
    assert pipe.headwaters(np.array([q]), np.array([tail]))[0, 0] == pytest.approx(expected, abs=1e-9)


@pytest.mark.parametrize("tail", [-1.0, 0.45, 0.7])
def test_a_part_full_barrel_has_the_water_surface_of_scipy(tail):
    box = BoxCulvert(width=1.5, height=1.2, length=80, bottom=0.08, outlet=0.0, roughness=0.016)
    q, slope = 1.0, 0.001
    yc = (q**2 / 1.5**2 / GRAVITY) ** (1 / 3)

    def bend(x, y):
        area, wetted = 1.5 * y, 1.5 + 2 * y
        friction = (0.016 * q) ** 2 * wetted ** (4 / 3) / area ** (10 / 3)
        return (friction - slope) / (1 - q**2 * 1.5 / (GRAVITY * area**3))

    # the equation is singular at the critical depth itself
    start = max(tail, yc * 1.0001)
    depth = solve_ivp(bend, (0, 80), [start], rtol=1e-10, atol=1e-12, method="LSODA").y[0, -1]
    head = (q / (1.5 * depth)) ** 2 / (2 * GRAVITY)
    expected = 0.08 + depth + head * 1.4
    # forty steps along the barrel, from a critical depth that SciPy cannot start at
    assert box.headwaters(np.array([q]), np.array([tail]))[0, 0] == pytest.approx(expected, abs=2e-3)


def test_low_flow_leaves_a_conduit_and_its_headwater_is_never_below_its_critical_energy():
    pipe = RoundPipe(diameter=1.0, length=20, bottom=2.0, outlet=0.0)
    flow = np.array([0.0, 0.001, 0.01])
    levels = pipe.headwaters(flow, np.array([-5.0]))[0]
    critical = pipe.barrel.critical(flow)
    assert levels[0] == 2.0
    assert (levels - 2.0 >= critical + pipe.barrel.velocity_head(flow, critical) - 1e-12).all()


@pytest.mark.parametrize("pipe", [RoundPipe(outlet=-0.3), BoxCulvert(outlet=0.0, barrels=2)], ids=["round", "box"])
@pytest.mark.parametrize("behind", [NOWHERE, 0.4, 1.5])
def test_the_flow_of_a_conduit_gives_the_level_back(pipe, behind):
    levels = np.array([0.2, 0.5, 0.9, 1.7, 3.0])
    flows = pipe.flow(levels, np.full(5, behind))
    back = pipe.headwaters(np.unique(flows[flows > 0]), np.array([max(behind, pipe.outlet)]))[0]
    # its rating is a table of 160 flows
    assert back == pytest.approx(levels[levels > max(behind, pipe.invert)], abs=4e-3)


def test_many_levels_behind_a_conduit_are_interpolated():
    pipe, level = RoundPipe(outlet=-0.2), np.full(200, 2.0)
    behind = np.linspace(-0.1, 1.9, 200)
    together = pipe.flow(level, behind)
    alone = np.array([at(pipe, 2.0, b) for b in behind])
    assert together == pytest.approx(alone, rel=0.02, abs=0.01)


def test_the_energy_along_a_barrel_follows_its_table_also_where_entries_are_alike():
    # at critical depth the first energies are alike to the last digit: the slope of the last of them counts
    known, slopes = np.array([1.0, 1.0, 1.2, 2.0]), np.array([0.05, 0.03, 0.02, 0.005])
    tails, dx, bed, stations = np.array([0.8, 1.0, 1.1, 1.9, 3.0]), 2.0, 0.01, 25
    expected = tails
    for _ in range(stations):
        here = np.interp(expected, known, slopes)
        ahead = np.interp(expected + here * dx - bed, known, slopes)
        expected = np.maximum(expected + 0.5 * (here + ahead) * dx - bed, known[0])
    # the same sums in another order
    assert energy_upstream(tails, known, slopes, dx, bed, stations) == pytest.approx(expected, rel=1e-12)


# risers and containment


def riser(**own):
    pipe = RoundPipe(bottom=0.0, outlet=-0.2, diameter=0.6)
    return RoundRiser(name="riser", crest=1.5, diameter=1.2, outlet=pipe, **own)


def test_the_flows_of_a_riser_balance_at_the_level_inside():
    inner = RoundOrifice(name="low", inside="riser", bottom=0.2, diameter=0.3)
    slot = SharpWeir(name="slot", inside="riser", crest=1.0, length=0.5)
    outlets = Outlets([riser(), inner, slot])
    tower, levels, behind = outlets.devices[0], np.linspace(-0.5, 4, 300), np.full(300, -1.0)
    plain = PlainOutlets(outlets, 4.0)
    for inside in (outlets.levels_inside(levels, behind)["riser"], plain.level_inside(tower, levels, behind)):
        enters, leaves = plain.enters(tower, levels, inside), tower.outlet.flow(inside, behind)
        # where the riser is all but full, the last digit of the level makes so much flow
        assert np.abs(enters - leaves).max() < 5e-5
        assert (inside <= levels + 1e-12).all()


def test_a_riser_with_a_wide_outlet_is_its_crest_and_with_a_wide_crest_its_outlet():
    wide = RoundPipe(bottom=-5.0, outlet=-5.2, diameter=3.0)
    tower = RoundRiser(name="riser", crest=1.5, diameter=1.0, outlet=wide)
    levels, behind = np.array([1.6, 1.8, 2.0]), np.full(3, NOWHERE)
    assert Outlets([tower]).flows(levels, behind)[0] == pytest.approx(tower.flow(levels, behind), rel=5e-3)
    narrow = RoundPipe(bottom=0.0, outlet=-0.2, diameter=0.2)
    tower = RoundRiser(name="riser", crest=0.5, diameter=6.0, outlet=narrow)
    assert Outlets([tower]).flows(levels, behind)[0] == pytest.approx(narrow.flow(levels, behind), rel=5e-3)


def test_the_crest_of_a_riser_turns_from_weir_to_orifice():
    tower = riser()
    turn = tower.turns
    weir = 1.84 * np.pi * 1.2 * (turn - 1.5) ** 1.5
    assert at(tower, turn) == pytest.approx(weir, rel=1e-9)
    assert at(tower, turn + 0.5) == pytest.approx(
        0.6 * np.pi / 4 * 1.2**2 * np.sqrt(2 * GRAVITY * (turn - 1)), rel=1e-9
    )


def test_a_plate_over_the_outlet_lets_less_through():
    levels, behind = np.array([1.8, 2.5]), np.full(2, NOWHERE)
    plain, plated = riser(), riser(plate=0.2)
    whole = Outlets([plain]).flows(levels, behind)[0]
    part = Outlets([plated]).flows(levels, behind)[0]
    assert (part < whole).all()
    # the riser is all but full, and the water in the pipe behind the plate holds back little
    assert part == pytest.approx(RoundOrifice(diameter=0.2).flow(levels, behind), rel=0.1)


def test_risers_stand_in_one_another_to_any_depth():
    pipe = RoundPipe(bottom=0.0, outlet=-0.2, diameter=0.9)
    outer = BoxRiser(name="outer", crest=2.5, outlet=pipe)
    middle = BoxRiser(
        name="middle", inside="outer", crest=2.0, length=0.8, width=0.8, outlet=RoundOrifice(diameter=0.5)
    )
    inner = RoundRiser(name="inner", inside="middle", crest=1.5, diameter=0.6, outlet=RoundOrifice(diameter=0.3))
    hole = RoundOrifice(name="hole", inside="inner", bottom=0.2, diameter=0.15)
    outlets = Outlets([hole, inner, middle, outer])
    assert outlets.outer == (outer,)
    levels, behind = np.linspace(0, 4, 60), np.full(60, NOWHERE)
    (flows,) = outlets.flows(levels, behind)
    alone = hole.flow(levels, behind)
    # while no crest is reached the hole alone lets water in, and it feels hardly any water inside
    assert flows[levels < 1.4] == pytest.approx(alone[levels < 1.4], rel=0.2)
    assert (np.diff(flows) >= -1e-9).all()


def test_a_closed_device_lets_nothing_through():
    outlets = Outlets([riser(), SharpWeir(name="spillway", crest=2.0, state="closed")])
    assert [one.name for one in outlets.outer] == ["riser"]


WORKS = [
    RoundOrifice(name="round", inside="inner", bottom=0.3, diameter=0.25),
    RectangularOrifice(name="slot", inside="outer", bottom=0.8, width=0.5, height=0.2),
    SharpWeir(name="sharp", inside="inner", crest=1.0, length=0.4, contractions=2.0),
    NotchWeir(name="notch", inside="outer", crest=1.2, angle=60.0),
    TrapezoidalWeir(name="sloped", inside="outer", crest=1.3, length=0.2),
    BroadWeir(name="spillway", crest=2.2, length=3.0, side_slope=2.0),
    TypedRating(name="typed", levels=(0.5, 1.0, 2.0), flows=(0.02, 0.1, 0.15)),
    Infiltration(name="floor", bottom=0.0, rate=50.0, wetted_area=400.0),
    Pump(name="pump", starts=1.2, stops=0.4, capacity=0.05),
    BoxCulvert(name="culvert", bottom=0.6, outlet=0.3, width=0.5, height=0.4),
    RoundRiser(name="inner", inside="outer", crest=1.5, diameter=0.7, outlet=RoundPipe(bottom=0.1, outlet=0.0)),
    BoxRiser(name="outer", crest=1.8, plate=0.4, outlet=RoundPipe(bottom=0.0, outlet=-0.3, diameter=0.8)),
]  # fmt: skip


@pytest.mark.parametrize("tail", [NOWHERE, 0.7, "rising", "turned"])
def test_the_compiled_flows_of_all_devices_are_those_of_plain_numpy(tail):
    outlets, levels = Outlets(WORKS), np.linspace(-0.5, 3.5, 90)
    behind = {"rising": 0.8 * levels, "turned": 0.8 * levels[::-1]}.get(
        tail, np.full(90, 0.7 if tail == 0.7 else NOWHERE)
    )
    compiled, plain = outlets.flows(levels, behind), PlainOutlets(outlets, 3.5)
    for one, flow in zip(outlets.outer, compiled, strict=True):
        expected = plain.flow(one, levels, behind) if one.name == "outer" else one.flow(levels, behind)
        # to the tolerance of the levels inside
        assert flow == pytest.approx(expected, rel=1e-7, abs=1e-9)


def test_the_compiled_level_inside_each_riser_balances_its_flows():
    outlets, levels = Outlets(WORKS), np.linspace(0.0, 3.0, 80)
    behind = np.full(80, NOWHERE)
    inside = outlets.levels_inside(levels, behind)
    assert set(inside) == {"inner", "outer"}
    outer = next(one for one in outlets.devices if one.name == "outer")
    plain = PlainOutlets(outlets, 3.0)
    enters = plain.enters(outer, levels, inside["outer"])
    assert enters == pytest.approx(plain.leaves(outer, inside["outer"], behind), rel=1e-7, abs=1e-7)
    assert (inside["inner"] >= np.minimum(inside["outer"], levels) - 1e-9).all()


opening = st.builds(
    lambda kind, low, size: kind(bottom=low, diameter=size) if kind is RoundOrifice else kind(crest=low, length=size),
    st.sampled_from([RoundOrifice, SharpWeir, BroadWeir]),
    st.floats(0, 3),
    st.floats(0.05, 2),
)


#: A riser in a riser in a riser, and another beside the innermost but one.
DEEP = (
    BoxRiser(name="a", crest=2.3, plate=0.8, outlet=RoundPipe(bottom=0.0, outlet=-0.3, diameter=0.9)),
    RoundOrifice(name="low", inside="a", diameter=0.3),
    RoundRiser(name="b", inside="a", crest=2.0, diameter=0.8, outlet=RoundPipe(bottom=0.1, outlet=0.05, diameter=0.5)),
    RectangularOrifice(name="slot", inside="b", bottom=1.4, width=0.4, height=0.2),
    RoundRiser(name="c", inside="b", crest=1.8, diameter=0.5, outlet=RoundOrifice(bottom=0.2, diameter=0.35)),
    SharpWeir(name="notch", inside="c", crest=1.5, length=0.2),
    BoxRiser(name="d", inside="a", crest=1.1, plate=0.2, outlet=RoundPipe(bottom=0.0, outlet=0.0, diameter=0.3)),
)


@pytest.mark.parametrize("tail", [NOWHERE, 0.7, "rising"])
def test_risers_in_risers_balance_each_and_are_those_of_plain_numpy(tail):
    outlets, levels = Outlets(DEEP), np.linspace(0.0, 3.5, 41)
    behind = 0.8 * levels if tail == "rising" else np.full(41, tail)
    (flows,), inside = outlets.flows(levels, behind), outlets.levels_inside(levels, behind)
    plain = PlainOutlets(outlets, 3.5)
    assert flows == pytest.approx(plain.flow(DEEP[0], levels, behind), rel=1e-7, abs=1e-8)
    around = {"a": behind, "b": inside["a"], "c": inside["b"], "d": inside["a"]}
    for riser in (one for one in DEEP if one.name in around):
        level = inside[riser.name]
        # where nothing flows through a riser its level is that around it, whichever that is
        running = level > np.maximum(around[riser.name], riser.outlet.invert) + 1e-6
        enters = plain.enters(riser, levels, level)[running]
        assert enters == pytest.approx(plain.leaves(riser, level, around[riser.name])[running], rel=1e-6, abs=1e-6)


@given(
    st.lists(opening, min_size=1, max_size=2), st.lists(opening, min_size=1, max_size=2), st.floats(0.2, 1.2),
    st.floats(0.1, 0.8), st.floats(0.5, 3.5), st.floats(0.5, 3.5),
)  # fmt: skip
@settings(max_examples=100, deadline=None)
def test_ratings_of_random_risers_in_risers_never_fall_while_the_stage_rises(outside, within, size, less, crest, lower):
    tower = RoundRiser(name="outer", crest=crest, outlet=RoundPipe(diameter=size, outlet=-0.1))
    shaft = RoundRiser(name="inner", inside="outer", crest=lower, diameter=0.6, outlet=RoundOrifice(diameter=less))
    held = [one.model_copy(update={"inside": name}) for name, some in (("outer", outside), ("inner", within))
            for one in some]  # fmt: skip
    outlets = Outlets([tower, shaft, *held])
    levels, behind = np.linspace(-0.5, 5, 120), np.full(120, NOWHERE)
    (total,) = outlets.flows(levels, behind)
    assert (np.diff(total) >= -1e-8).all()
    inside = outlets.levels_inside(levels, behind)
    assert (inside["inner"] <= levels + 1e-9).all()


def test_a_device_without_numbers_is_asked_itself():
    class Slit(SharpWeir):
        method: typing.Literal["slit"] = "slit"

        def coded(self, behind, highest):
            return None

    try:
        outlets, levels = Outlets([riser(), Slit(name="slit", inside="riser", crest=0.5)]), np.linspace(0, 2, 20)
        behind = np.full(20, NOWHERE)
        plain = Outlets([riser(), SharpWeir(name="slit", inside="riser", crest=0.5)]).flows(levels, behind)
        assert outlets.flows(levels, behind)[0] == pytest.approx(plain[0], rel=1e-9)
        assert outlets.levels_inside(levels, behind)["riser"].shape == (20,)
    finally:
        Device.known.pop("slit", None)


@given(st.lists(opening, min_size=1, max_size=4), st.floats(0.2, 1.5), st.floats(0.5, 3.5), st.booleans())
@settings(max_examples=300, deadline=None)
def test_ratings_of_random_outlets_never_fall_while_the_stage_rises(openings, size, crest, contained):
    tower = RoundRiser(name="riser", crest=crest, outlet=RoundPipe(diameter=size, outlet=-0.1))
    held = [one.model_copy(update={"inside": "riser" if contained else ""}) for one in openings]
    outlets = Outlets([tower, *held])
    levels, behind = np.linspace(-0.5, 5, 160), np.full(160, NOWHERE)
    total = sum(outlets.flows(levels, behind))
    # to the tolerance of the level inside
    assert (np.diff(total) >= -1e-8).all()
    assert total[levels <= min([0.0, crest, *(one.invert for one in openings)])].max() == 0


# bad input


def test_a_rating_that_falls_with_stage_is_refused():
    with pytest.raises(BadInput, match="falls with stage: 2 m³/s at 1 m, 1 m³/s at 2 m"):
        TypedRating(levels=(0, 1, 2), flows=(0, 2, 1))


@pytest.mark.parametrize(("levels", "flows"), [((0,), (0,)), ((0, 0), (0, 1)), ((1, 0), (0, 1)), ((0, 1, 2), (0, 1))])
def test_a_rating_without_rising_pairs_is_refused(levels, flows):
    with pytest.raises(BadInput, match="two rising levels"):
        TypedRating(levels=levels, flows=flows)


def test_a_pump_that_would_stop_above_its_start_is_refused():
    with pytest.raises(BadInput, match="stop"):
        Pump(starts=1.0, stops=1.0)


@pytest.mark.parametrize(
    "made",
    [
        lambda: RoundOrifice(diameter=0), lambda: RoundOrifice(diameter=-0.1), lambda: RoundOrifice(coefficient=1.2),
        lambda: RectangularOrifice(height=0), lambda: SharpWeir(length=0), lambda: SharpWeir(contractions=3),
        lambda: NotchWeir(angle=180), lambda: NotchWeir(angle=0), lambda: RoundPipe(length=0),
        lambda: RoundPipe(roughness=0), lambda: RoundPipe(barrels=0), lambda: BoxCulvert(width=0),
        lambda: Infiltration(rate=-1), lambda: Infiltration(wetted_area=0), lambda: Pump(capacity=-1),
        lambda: RoundRiser(diameter=0), lambda: BoxRiser(length=0), lambda: RoundOrifice(bottom=float("nan")),
    ],
)  # fmt: skip
def test_a_parameter_beyond_its_limits_is_refused(made):
    with pytest.raises((BadInput, ValueError)):
        made()
