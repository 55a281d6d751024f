"""Small pipes for inlet areas: each is the smallest that carries its flow full."""

import numpy as np
import pytest
from tests.study.test_sizing import bare

from tarnwater.errors import BadInput
from tarnwater.network.elements import Catchment
from tarnwater.routing.works import RoundPipe
from tarnwater.routing.works.culvert_design import full_flow, pipe_running_full
from tarnwater.routing.works.made import MADE_PIPES
from tarnwater.study import edits
from tarnwater.study.answers import compute_cases
from tarnwater.study.answers.channel_table import culvert_rows
from tarnwater.study.answers.inlet_pipes import PipeRun, inlet_areas, inlet_pipes
from tarnwater.study.edits.channels import add_inlet_pipes
from tarnwater.study.edits.history import History


def several():
    """The yard with two smaller inlet areas beside it."""
    study = bare()
    yard = study.elements["yard"]
    for name, area in (("Roof", 8e3), ("Ramp", 2e4)):
        land = Catchment(name=name, area=area, lag=600.0, surfaces=yard.surfaces).refreshed()
        study = edits.add_draining(study, land, name.lower(), "beck")
    return study


@pytest.fixture(scope="module")
def computed():
    study = several()
    return study, compute_cases(study)


def full_by_hand(diameter, slope, roughness):
    """Manning's equation of a full circle, by hand."""
    return np.pi / 4 * diameter**2 * (diameter / 4) ** (2 / 3) * np.sqrt(slope) / roughness


def test_each_area_gets_the_smallest_pipe_that_carries_its_greatest_flow(computed):
    study, results = computed
    areas = inlet_areas(study, results)
    assert [one.name for one in areas] == ["Yard", "Roof", "Ramp"]
    run = PipeRun(length=25.0, slope=0.008, roughness=0.012)
    for area, works in zip(areas, inlet_pipes(study, areas, run), strict=True):
        greatest = max(c.peak(area.key).ordinate for c in results.cases if c.standing == "counted")
        pipe = works.barrel
        assert (works.element, pipe.length, pipe.roughness) == (area.key, 25.0, 0.012)
        assert pipe.bottom - pipe.outlet == pytest.approx(0.2)
        assert full_by_hand(pipe.diameter, 0.008, 0.012) >= greatest
        smaller = [size for size in MADE_PIPES if size < pipe.diameter]
        assert all(full_by_hand(size, 0.008, 0.012) < greatest for size in smaller)


def test_they_are_one_act_and_follow_when_the_flow_changes(computed):
    study, results = computed
    pipes = inlet_pipes(study, inlet_areas(study, results), PipeRun())
    history = History(study)
    label, after = history.made(add_inlet_pipes, pipes)
    assert label == "add the pipes of 3 inlet areas"
    assert [one.name for one in after.culverts.values()] == ["Pipe of Yard", "Pipe of Roof", "Pipe of Ramp"]
    assert inlet_areas(after, results) == []
    rows = culvert_rows(after, results)
    assert all(row.full >= row.carried.flow for row in rows)
    larger = edits.type_values(after, [("roof", "area", 9e3)])
    again = {row.key: row for row in culvert_rows(larger, compute_cases(larger))}
    assert again["pipe-of-roof"].carried.flow > rows[1].carried.flow


def test_full_flow_is_manning_by_hand_and_a_pipe_at_its_bound_is_taken():
    pipe = RoundPipe(bottom=0.3, outlet=0.0, length=30.0, roughness=0.013, diameter=0.3)
    carried = full_by_hand(0.3, 0.01, 0.013)
    assert full_flow(pipe) == pytest.approx(carried, rel=1e-12)
    assert pipe_running_full(pipe, full_flow(pipe)).diameter == 0.3
    assert pipe_running_full(pipe, carried * 1.0001).diameter == 0.375


def test_no_area_no_slope_no_length_and_no_size_are_refused(computed):
    study, results = computed
    areas = inlet_areas(study, results)
    with pytest.raises(BadInput, match="no inlet area is chosen"):
        inlet_pipes(study, [], PipeRun())
    with pytest.raises(BadInput, match="a pipe has a slope above zero"):
        inlet_pipes(study, areas, PipeRun(slope=0.0))
    with pytest.raises(BadInput, match="a pipe has a length above zero"):
        inlet_pipes(study, areas, PipeRun(length=0.0))
    with pytest.raises(BadInput, match="Yard: .*diameter cannot be 225"):
        inlet_pipes(study, areas, PipeRun(made=(225.0,)))
    for roughness in (0.0, -0.01, float("nan")):
        with pytest.raises(BadInput, match="Yard"):
            inlet_pipes(study, areas, PipeRun(roughness=roughness))
    with pytest.raises(BadInput, match="no size is given"):
        inlet_pipes(study, areas, PipeRun(made=()))


def test_a_flow_that_no_pipe_carries_names_the_area_and_the_most(computed):
    study, results = computed
    with pytest.raises(BadInput, match="Yard: no pipe that is made carries .* full on its slope: the largest"):
        inlet_pipes(study, inlet_areas(study, results), PipeRun(made=(0.1, 0.15)))
    with pytest.raises(BadInput, match="Yard: its flow is unknown"):
        inlet_pipes(study, inlet_areas(study, None), PipeRun())


def test_a_name_that_is_taken_gets_a_number(computed):
    study, results = computed
    areas = inlet_areas(study, results)
    after = add_inlet_pipes(study, inlet_pipes(study, areas[:1], PipeRun()))
    (again,) = inlet_pipes(after, areas[:1], PipeRun())
    assert again.name == "Pipe of Yard 2"
