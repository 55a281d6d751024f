"""Reaches by section and by storage: Muskingum-Cunge, storage and outflow, losses and gains at the foot."""

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from tarnwater.errors import BadInput
from tarnwater.hydrograph import Hydrograph
from tarnwater.network.elements import Inflow, Link, Outfall, Reach
from tarnwater.network.engine import Batch, compute
from tarnwater.network.graph import Network
from tarnwater.rain.storms import Rain
from tarnwater.routing.channels import Pipe, SurveyedSection, Trapezoid
from tarnwater.routing.reaches import KinematicWave, MuskingumCunge, Passing, StorageDischarge

HOUR = 3600.0


def flood(step=300.0, hours=30, base=5.0, peak=60.0, rise=2.0):
    t = np.arange(round(hours * HOUR / step) + 1) * step / HOUR
    shape = np.where(t > 0, (t / rise) * np.exp(1 - t / rise), 0.0) ** 3
    return Hydrograph((base + (peak - base) * shape)[None, :], step)


def channel(**own):
    known = {
        "channel_length": 10_000.0,
        "bed_slope": 0.001,
        "section": Trapezoid(bottom_width=10, side_slope=2, bank_height=3),
    }
    return MuskingumCunge(**(known | own)).refreshed(None, None, None)


# Muskingum-Cunge


@pytest.mark.parametrize("step", [60.0, 300.0, 900.0])
@pytest.mark.parametrize("slope", [2e-4, 1e-3, 1e-2])
def test_no_water_is_lost_while_the_parameters_change(step, slope):
    inflow = flood(step)
    found = channel(bed_slope=slope).route(inflow)
    came, went = inflow.total[0] + found.start_stored[0], found.hydrograph.total[0] + found.stored[0]
    assert went == pytest.approx(came, rel=1e-12)


def by_kinematic_wave(section, slope, length, inflow, cells=400):
    """A fine explicit solution of the kinematic wave, ∂A/∂t + ∂Q/∂x = 0."""
    depths = np.geomspace(1e-3, 20, 600)
    areas, flows = section.area(depths), section.normal_flow(depths, slope)
    dx, t_end = length / cells, (inflow.flow.shape[1] - 1) * inflow.step
    fastest = np.gradient(flows, areas)[flows < 80].max()
    steps = int(np.ceil(t_end / (0.9 * dx / fastest)))
    dt = t_end / steps
    area = np.full(cells, np.interp(inflow.flow[0, 0], flows, areas))
    out, t = np.empty(steps + 1), np.arange(steps + 1) * dt
    comes = np.interp(t, np.arange(inflow.flow.shape[1]) * inflow.step, inflow.flow[0])
    out[0] = inflow.flow[0, 0]
    for n in range(steps):
        flow = np.interp(area, areas, flows)
        area = area - dt / dx * np.diff(np.append(comes[n], flow))
        out[n + 1] = np.interp(area[-1], areas, flows)
    return np.interp(np.arange(inflow.flow.shape[1]) * inflow.step, t, out)


def test_on_a_steep_bed_it_is_the_kinematic_wave():
    section, slope, inflow = Trapezoid(bottom_width=10, side_slope=2, bank_height=3), 0.01, flood()
    expected = by_kinematic_wave(section, slope, 10_000.0, inflow)
    found = channel(bed_slope=slope, parts_at_step=60.0).route(inflow).hydrograph.flow[0]
    # the fine solution spreads a little by itself, the routing by the diffusion of the bed
    assert found.max() == pytest.approx(expected.max(), rel=0.01)
    assert abs(int(np.argmax(found)) - int(np.argmax(expected))) <= 1
    assert np.abs(found - expected).max() < 0.03 * 60


def test_a_small_wave_travels_with_the_celerity_of_uniform_flow():
    inflow = flood(step=60.0, base=30.0, peak=31.0, rise=1.0)
    method = channel(bed_slope=0.005)
    found = method.route(inflow).hydrograph.flow[0]
    celerity = float(np.interp(30.5, method.table.flows, method.table.celerities))
    delay = (np.argmax(found) - np.argmax(inflow.flow[0])) * 60.0
    assert delay == pytest.approx(10_000.0 / celerity, rel=0.04)


def test_a_flat_bed_attenuates_and_a_steep_one_hardly():
    inflow = flood()
    peaks = [channel(bed_slope=slope).route(inflow).hydrograph.flow.max() for slope in (2e-4, 1e-3, 1e-2)]
    assert peaks[0] < peaks[1] < peaks[2] < 60


def test_its_peak_hardly_depends_on_the_step():
    peaks = [channel().route(flood(step)).hydrograph.flow.max() for step in (60.0, 300.0, 900.0)]
    assert max(peaks) / min(peaks) < 1.01


@pytest.mark.parametrize("section", [
    Pipe(diameter=4.0, roughness=0.013),
    SurveyedSection(stations=(0, 8, 12, 20, 60), heights=(4, 1, 0, 1, 5), roughness=(0.05, 0.03, 0.03, 0.06, 0.06)),
], ids=["circle", "surveyed"])  # fmt: skip
def test_a_pipe_and_a_surveyed_section_keep_their_water(section):
    inflow = flood(peak=20.0)
    found = channel(section=section).route(inflow)
    assert found.hydrograph.total[0] + found.stored[0] == pytest.approx(
        inflow.total[0] + found.start_stored[0], rel=1e-12
    )
    assert 5 < found.hydrograph.flow.max() < 20


def test_a_volume_beyond_the_trapezoid_goes_through_too():
    inflow = flood()
    beyond = Hydrograph(inflow.flow, inflow.step, np.full((1, inflow.flow.shape[1] - 1), 40.0))
    found = channel().route(beyond)
    assert found.hydrograph.total[0] + found.stored[0] == pytest.approx(
        beyond.total[0] + found.start_stored[0], rel=1e-12
    )


# the kinematic wave


def wave(**own):
    known = {"channel_length": 10_000.0, "bed_slope": 0.004, "section": Trapezoid(bottom_width=10, side_slope=2)}
    return KinematicWave(**(known | own)).refreshed(None, None, None)


def by_characteristics(method, inflow, length):
    """The exact solution before the wave breaks: each flow goes its way with its own celerity."""
    section, slope = method.section, method.bed_slope.value
    depth = np.geomspace(0.05, 15, 4000)
    areas, flows = section.area(depth), section.normal_flow(depth, slope)
    comes = np.arange(inflow.flow.shape[1]) * inflow.step
    celerity = np.interp(inflow.flow[0], flows, np.gradient(flows, areas))
    arrives = comes + length / celerity
    assert (np.diff(arrives) > 0).all(), "the wave breaks"
    return np.interp(comes, arrives, inflow.flow[0], left=inflow.flow[0, 0])


def test_the_kinematic_wave_converges_to_the_characteristics():
    length, inflow = 3000.0, flood(step=60.0, base=10.0, peak=40.0, rise=2.0)
    errors = []
    for parts in (4, 8, 16):
        method = wave(channel_length=length, parts=parts)
        exact = by_characteristics(method, inflow, length)
        found = method.route(inflow).hydrograph.flow[0]
        errors.append(np.abs(found - exact).max() / 40.0)
    # at the peak the slope is held back, so that the order there is between the first and the second
    assert errors[0] > 2 * errors[1] > 4 * errors[2]
    # what stays is the table of uniform flow, straight between its depths
    assert errors[-1] < 6e-4
    # the crest is held back by the square of its own length in parts
    assert found.max() == pytest.approx(40.0, rel=4e-4)


def test_a_wave_that_breaks_agrees_with_a_fine_solution():
    method, inflow = wave(channel_length=20_000.0, parts=200), flood(step=120.0)
    expected = by_kinematic_wave(method.section, 0.004, 20_000.0, inflow, cells=1600)
    found = method.route(inflow).hydrograph.flow[0]
    assert found.max() == pytest.approx(expected.max(), rel=0.01)
    assert abs(int(np.argmax(found)) - int(np.argmax(expected))) <= 2


@pytest.mark.parametrize("step", [60.0, 300.0, 3600.0])
def test_the_kinematic_wave_neither_makes_nor_loses_water_at_any_step(step):
    inflow = flood(step)
    beyond = Hydrograph(inflow.flow, step, np.full((1, inflow.flow.shape[1] - 1), 0.02 * step))
    found = wave().route(beyond)
    came, went = beyond.total[0] + found.start_stored[0], found.hydrograph.total[0] + found.stored[0]
    assert went == pytest.approx(came, rel=1e-12)
    assert found.hydrograph.flow.min() >= 4.99


def test_a_dry_channel_takes_the_first_water():
    inflow = flood(base=0.0)
    found = wave().route(inflow)
    assert found.hydrograph.flow.min() >= 0
    assert 55 < found.hydrograph.flow.max() < 60
    assert found.start_stored[0] == 0


def test_its_parts_stay_when_the_step_of_the_run_changes():
    assert wave().parts.value == wave(parts_at_step=300.0).parts.value
    assert wave(channel_length=100.0).parts.value == 20


def test_a_flow_beyond_the_table_still_balances():
    inflow = Hydrograph(flood(peak=900.0).flow * 1e3, 300.0)
    found = wave().route(inflow)
    assert found.hydrograph.total[0] + found.stored[0] == pytest.approx(
        inflow.total[0] + found.start_stored[0], rel=1e-12
    )


@given(st.integers(5, 200), st.sampled_from(["cunge", "storage", "wave"]))
@settings(max_examples=20, deadline=None)
def test_a_run_cut_in_two_equals_the_run_in_one_piece(cut, which):
    method, inflow = {"cunge": channel(), "storage": STORE, "wave": wave()}[which], flood()
    whole = method.route(inflow)
    first = method.route(Hydrograph(inflow.flow[:, : cut + 1], inflow.step))
    second = method.route(Hydrograph(inflow.flow[:, cut:], inflow.step), first.state)
    assert second.hydrograph.flow == pytest.approx(whole.hydrograph.flow[:, cut:], rel=1e-11)
    assert second.start_stored == pytest.approx(first.stored, rel=1e-12)


def test_length_and_slope_come_from_the_reach_and_the_parts_are_held():
    reach = Reach(name="Beck", length=5000.0, slope=0.002, method=MuskingumCunge()).refreshed()
    method = reach.method
    assert (method.channel_length.value, method.bed_slope.value) == (5000.0, 0.002)
    celerity, spread = method._at_reference()
    assert method.parts.value == int(np.ceil(5000 / (0.5 * (celerity * 300 + spread))))
    assert reach.missing() == []
    lacking = Reach(name="Beck", length=5000.0, slope=0.0, method=MuskingumCunge()).refreshed()
    assert [one.field for one in lacking.missing()] == ["method/bed_slope"]


def test_what_a_pipe_carries_at_most_is_told():
    reach = Reach(name="Sewer", length=500.0, slope=0.002, method=MuskingumCunge(section=Pipe())).refreshed()
    ((_, note),) = reach.doubts([60.0])
    assert note.code == "pipe-carries-at-most"
    most, full = (value for value, _ in note.figures)
    # a circle carries 1.076 times as much at 0.938 of its depth as when it is full; the table ends at 0.93
    assert most / full == pytest.approx(1.076, rel=2e-3)
    section, slope = reach.method.section, 0.002
    between = 0.5 * (most + full)
    assert section.second_normal_depth(between, slope) > section.normal_depth(between, slope)
    assert section.second_normal_depth(0.99 * full, slope) is None


# storage and outflow


STORE = StorageDischarge(outflows=(0.0, 30.0, 100.0), storages=(0.0, 54_000.0, 180_000.0), parts=2)


def test_linear_storage_empties_like_the_exponential():
    method = StorageDischarge(outflows=(0.0, 100.0), storages=(0.0, 3.6e5))
    state = np.array([[1.8e5]])
    found = method.route(Hydrograph(np.zeros((1, 61)), 60.0), state)
    # sub-steps of the level pool
    assert found.hydrograph.flow[0, -1] == pytest.approx(50 * np.exp(-1), rel=1e-3)


def test_storage_of_two_parts_is_a_cascade_of_two():
    inflow = flood()
    found = STORE.route(inflow)
    halves = StorageDischarge(outflows=(0.0, 30.0, 100.0), storages=(0.0, 27_000.0, 90_000.0))
    twice = halves.route(halves.route(inflow).hydrograph)
    assert found.hydrograph.flow == pytest.approx(twice.hydrograph.flow, rel=1e-12)
    assert found.hydrograph.total[0] + found.stored[0] == pytest.approx(
        inflow.total[0] + found.start_stored[0], rel=1e-11
    )


def test_a_flood_beyond_its_table_goes_on_with_its_last_slope():
    inflow = flood(peak=900.0)
    found = STORE.route(inflow)
    assert found.hydrograph.flow.max() > 300
    assert found.hydrograph.total[0] + found.stored[0] == pytest.approx(
        inflow.total[0] + found.start_stored[0], rel=1e-11
    )


# losses and gains


def reach_flow(**own):
    elements = {
        "flood": Inflow(name="Flood", times=(0.0, 3600.0, 10800.0), flows=(0.0, 6.0, 0.0)),
        "beck": Reach(name="Beck", method=Passing(), **own), "end": Outfall(name="End"),
    }  # fmt: skip
    links = {"a": Link(up="flood", down="beck"), "b": Link(up="beck", down="end")}
    return compute(Batch(Network(elements, links), Rain(np.zeros((1, 1)), 300.0), 300.0, 48))


def test_a_constant_and_a_share_are_lost_at_the_foot_and_booked():
    found = reach_flow(loss=1.0, loss_share=0.1)
    response = found.responses["beck"]
    assert response.flow.max() == pytest.approx(0.9 * 5.0)
    # a triangle of 6 m3/s over 3 h, of which the lowest 1 m3/s and a tenth of the rest is lost
    rest = 0.5 * 5.0 * 10800 * 5 / 6
    assert float(response.balance.losses[0]) == pytest.approx(32400 - 0.9 * rest, rel=1e-9)
    assert found.balance.error == pytest.approx(0, abs=1e-12)


def test_a_gain_comes_from_the_ground():
    found = reach_flow(gain=0.5)
    assert found.responses["beck"].flow.min() == 0.5
    assert float(found.responses["beck"].balance.baseflow[0]) == pytest.approx(0.5 * 48 * 300)
    assert found.responses["end"].base[0] == 0.5
    # the flood is what came without the ground
    assert found.responses["end"].summary.flood[0] == pytest.approx(32400, rel=1e-9)
    assert found.balance.error == pytest.approx(0, abs=1e-12)


@pytest.mark.parametrize(
    "made",
    [
        lambda: StorageDischarge(outflows=(0, 1), storages=(1, 1)),
        lambda: StorageDischarge(outflows=(1, 2), storages=(0, 1)),
        lambda: StorageDischarge(outflows=(0, 2, 1), storages=(0, 1, 2)),
        lambda: StorageDischarge(outflows=(0,), storages=(0,)),
        lambda: StorageDischarge(outflows=(0, 1), storages=(0, 1), parts=0), lambda: MuskingumCunge(bed_slope=0.0),
        lambda: MuskingumCunge(channel_length=0.0), lambda: Reach(name="B", loss=-1),
        lambda: Reach(name="B", loss_share=1.5),
    ],
)  # fmt: skip
def test_zero_slope_and_tables_that_fall_are_refused(made):
    with pytest.raises((BadInput, ValueError)):
        made()
