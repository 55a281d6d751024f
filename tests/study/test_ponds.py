"""Ponds in a study: put into links, made of parts, computed, doubted, reckoned, and different in a condition."""

import numpy as np
import pytest

from tarnwater.errors import BadInput, UnknownName
from tarnwater.network.elements import Catchment, Outfall, Pond, Split, Surface
from tarnwater.rain.depth_table import DepthTable
from tarnwater.rain.storms import StormFamily
from tarnwater.routing.ponds import Prism, TailwaterBelow
from tarnwater.routing.works import BroadWeir, RoundOrifice, RoundPipe, RoundRiser, SharpWeir
from tarnwater.runoff.losses import CurveNumber
from tarnwater.study import edits
from tarnwater.study.answers import compute_cases
from tarnwater.study.answers.figures import figures_of
from tarnwater.study.checks import check, check_results
from tarnwater.study.document import Study, study_from
from tarnwater.study.document.conditions import resolve
from tarnwater.study.edits.parts_by_numbers import add_part_by_numbers, put_pond_by_numbers, remove_part_by_numbers
from tarnwater.study.pictures.pond import pond_plot, rating_plot
from tarnwater.study.reckonings import explain

HOUR = 3600.0
PIT = Prism(name="pit", depth=3.0, plan_area=4000.0)
LOW = RoundOrifice(name="low", bottom=0.2, diameter=0.4)
SPILLWAY = BroadWeir(name="spillway", crest=2.0, length=6.0)


def study_with(**pond):
    """A catchment, a pond and an outfall under one storm."""
    land = Catchment(name="Hask", area=5e5, lag=1800.0, surfaces=(Surface(loss=CurveNumber(curve_number=85.0)),))
    made = edits.add_element(Study(title="Ponds"), land.refreshed())
    made = edits.add_element(edits.add_element(made, Pond(name="Mere", **pond)), Outfall(name="Bridge"))
    made = edits.connect(edits.connect(made, "hask", "mere"), "mere", "bridge")
    table = DepthTable(
        durations=(HOUR, 6 * HOUR), return_periods=(100.0,), depths=((43.0,), (88.0,)), series="annual maxima"
    )
    family = StormFamily(table="t", return_periods=(100.0,), durations=(HOUR, 6 * HOUR))
    return edits.set_family(edits.set_table(made, "t", table), "f", family)


@pytest.fixture
def study():
    return study_with(storage=(PIT,), devices=(LOW, SPILLWAY))


def codes(study):
    return {finding.code for finding in check(study) if finding.element == "mere"}


def case_of(results, duration=6 * HOUR):
    return next(c for c in results.cases if c.case.storm.duration == duration)


def test_a_pond_lowers_the_peak_and_keeps_the_water(study):
    case = case_of(compute_cases(study))
    assert case.peak("mere").ordinate < 0.9 * case.peak("hask").ordinate
    # rounding only
    assert abs(float(case.balance("mere").error[0])) < 1e-12
    # below a pond the flow is the same, and so is its peak, found inside the steps
    assert case.peak("bridge") == case.peak("mere")


def test_the_figures_of_a_pond_are_its_level_its_storage_and_what_flows_over(study):
    results = compute_cases(study)
    case = case_of(results)
    told = {name: value for name, value, _ in figures_of(results, case, "mere")}
    assert told["highest level"] == case.pool("mere").top
    assert told["most stored"] == pytest.approx(4000 * told["highest level"])
    assert told["overflow"] is None
    assert told["highest level"] >= case.level("mere").max()


def test_every_figure_of_a_pond_is_reckoned_from_its_inputs():
    study = study_with(storage=(Prism(depth=1.0, plan_area=900.0),), devices=(LOW,))
    results = compute_cases(study)
    case = case_of(results)
    for figure in ("peak", "highest level", "time of highest level", "most stored", "overflow", "volume"):
        node = explain(study, case, "mere", figure, results=results)
        assert node.value > 0
        assert node.recomputed() == pytest.approx(node.value, rel=1e-12), figure
        assert node.inputs


def test_a_condition_closes_a_device(study):
    study = edits.add_condition(study, "Blocked")
    study = edits.choose(study, "mere", "devices/0/state", "closed", condition="blocked")
    results = compute_cases(study)
    top = {c.case.condition: c.pool("mere").top for c in results.cases if c.case.storm.duration == 6 * HOUR}
    assert top["blocked"] > top["existing"] + 0.05
    again = study_from(study.model_dump(mode="json"))
    assert again == study


def test_removing_a_part_keeps_what_conditions_say_of_the_others(study):
    study = edits.add_condition(study, "Blocked")
    study = edits.choose(study, "mere", "devices/1/state", "closed", condition="blocked")
    study = edits.remove_part(study, "mere", "devices/0")
    assert [one.name for one in study.elements["mere"].devices] == ["spillway"]
    assert resolve(study, "blocked").elements["mere"].devices[0].state == "closed"
    assert resolve(study, "existing").elements["mere"].devices[0].state == "open"


def test_a_part_removed_in_one_condition_stays_in_the_others(study):
    study = edits.add_condition(study, "Blocked")
    study = edits.choose(study, "mere", "devices/1/state", "closed", condition="blocked")
    study = edits.remove_part(study, "mere", "devices/0", condition="blocked")
    (left,) = resolve(study, "blocked").elements["mere"].devices
    assert (left.name, left.state) == ("spillway", "closed")
    assert len(study.elements["mere"].devices) == 2


def test_a_surface_is_removed_like_any_part(study):
    two = (Surface(name="field", share=0.4), Surface(name="wood", loss=CurveNumber(curve_number=60.0)))
    study = edits.add_condition(edits.choose(study, "hask", "surfaces", two), "Built")
    study = edits.type_values(study, [("hask", "surfaces/1/loss/curve_number", 77.0)], condition="built")
    study = edits.remove_part(study, "hask", "surfaces/0")
    assert resolve(study, "built").elements["hask"].surfaces[0].loss.curve_number.value == 77.0


@pytest.mark.parametrize("path", ["devices/2", "devices/x", "surfaces/0"])
def test_a_part_that_is_not_there_cannot_be_removed(study, path):
    with pytest.raises(UnknownName):
        edits.remove_part(study, "mere", path)


# without storage or outlet


def test_a_pond_goes_into_any_link_and_passes_its_inflow_on_and_that_is_said(study):
    study = edits.remove_element(study, "mere")
    study = edits.connect(study, "hask", "bridge")
    before = case_of(compute_cases(study)).peak("bridge").ordinate
    study = put_pond_by_numbers(study, "Hask", "Mere")
    assert {(link.up, link.down) for link in study.links.values()} == {("hask", "mere"), ("mere", "bridge")}
    assert case_of(compute_cases(study)).peak("bridge").ordinate == before
    (note,) = [f for f in check(study) if f.code == "pond-passes"]
    assert note.severity == "note"


@pytest.mark.parametrize(
    "pond",
    [
        {"storage": (PIT,)}, {"devices": (LOW,)},
        {"storage": (PIT,), "devices": (LOW.model_copy(update={"state": "closed"}),)},
    ],
)  # fmt: skip
def test_without_storage_or_an_open_outlet_it_is_no_stop(pond):
    study = study_with(**pond)
    assert "pond-passes" in codes(study)
    case = case_of(compute_cases(study))
    assert case.peak("mere").ordinate == case.peak("hask").ordinate


# doubts and stops


def test_a_pond_that_cannot_empty_is_a_doubt():
    study = study_with(storage=(PIT,), devices=(LOW,), start_level=0.0)
    assert "pond-cannot-empty" in codes(study)
    assert "pond-cannot-empty" not in codes(study_with(storage=(PIT,), devices=(LOW,), start_level=0.2))


def test_a_contained_device_without_an_outlet_pipe_is_a_stop_that_names_it():
    tower = RoundRiser(name="tower", crest=1.5)
    study = study_with(storage=(PIT,), devices=(tower, LOW.model_copy(update={"inside": "tower"})))
    (stop,) = [f for f in check(study) if f.severity == "stop"]
    assert "“tower” has no outlet pipe" in stop.text
    assert "“low”" in stop.text
    assert stop.field == "devices/0/outlet"
    mended = edits.choose(study, "mere", "devices/0/outlet", RoundPipe(outlet=-0.2))
    assert not [f for f in check(mended) if f.severity == "stop"]


def test_a_device_inside_a_riser_that_is_not_there_is_a_stop():
    study = study_with(storage=(PIT,), devices=(LOW.model_copy(update={"inside": "tower"}),))
    assert [f.field for f in check(study) if f.severity == "stop"] == ["devices/0/inside"]


def test_a_riser_inside_itself_is_refused():
    one = RoundRiser(name="one", inside="two", outlet=RoundPipe())
    two = RoundRiser(name="two", inside="one", outlet=RoundPipe())
    with pytest.raises(BadInput, match="inside itself"):
        Pond(name="Mere", devices=(one, two))


def test_two_devices_of_one_name_are_refused():
    with pytest.raises(BadInput, match="two devices"):
        Pond(name="Mere", devices=(LOW, LOW))


def test_a_gap_in_the_storage_is_a_stop():
    study = study_with(storage=(PIT, Prism(bottom=4.0, depth=1.0)), devices=(LOW,))
    assert any("nothing is stored" in f.text for f in check(study) if f.severity == "stop")


def test_a_device_above_the_top_is_never_reached():
    assert "device-never-reached" in codes(study_with(storage=(PIT,), devices=(LOW, SharpWeir(crest=3.0))))


def test_contractions_beyond_their_range_are_doubted():
    assert "contractions-beyond-range" in codes(study_with(storage=(PIT,), devices=(SharpWeir(contractions=2),)))


def test_a_device_that_leads_nowhere_is_a_stop_with_a_remedy():
    study = study_with(storage=(PIT,), devices=(LOW.model_copy(update={"leads_to": "hask"}),))
    (stop,) = [f for f in check(study) if f.code == "device-leads-nowhere"]
    mended = stop.remedies[0].edit(study)
    assert "device-leads-nowhere" not in codes(mended)


def test_a_split_whose_second_way_is_not_below_it_is_a_stop_and_one_way_is_told(study):
    study = edits.lead_through(study, "hask", Split(name="Fork"), "fork")
    assert [f.code for f in check(study) if f.element == "fork"] == ["split-with-one-way"]
    study = edits.connect(study, "fork", "bridge")
    assert not [f for f in check(study) if f.element == "fork"]
    (stop,) = [f for f in check(edits.choose(study, "fork", "diverts_to", "hask")) if f.code == "split-leads-nowhere"]
    assert not [f for f in check(stop.remedies[0].edit(study)) if f.element == "fork"]


def test_tailwater_of_what_has_no_level_is_a_stop(study):
    assert "tailwater-without-level" in codes(
        edits.choose(study, "mere", "tailwater", TailwaterBelow(element="bridge"))
    )
    assert "tailwater-without-level" in codes(edits.choose(study, "mere", "tailwater", TailwaterBelow()))


def test_water_over_the_top_and_into_the_freeboard_is_doubted():
    small = study_with(storage=(Prism(depth=1.0, plan_area=900.0),), devices=(LOW,))
    told = [f for f in check_results(compute_cases(small)) if f.code == "pond-overflows"]
    assert told[0].element == "mere"
    assert "m³" in told[0].text
    lost = edits.choose(small, "mere", "overflow", "lost")
    assert any("is lost" in f.text for f in check_results(compute_cases(lost)) if f.code == "pond-overflows")
    tight = study_with(storage=(PIT,), devices=(LOW, SPILLWAY), freeboard=2.0)
    assert any(f.code == "freeboard-used" for f in check_results(compute_cases(tight)))


def test_lost_overflow_leaves_the_balance_whole_and_stays_in_the_peak():
    small = study_with(storage=(Prism(depth=1.0, plan_area=900.0),), devices=(LOW,), overflow="lost")
    case = case_of(compute_cases(small))
    assert abs(float(case.balance("mere").error[0])) < 1e-12
    assert float(case.balance("mere").losses[0]) == pytest.approx(case.pool("mere").spilled)
    assert case.peak("mere").ordinate > 2 * case.peak("bridge").ordinate


def test_the_flow_parts_by_the_devices(study):
    study = edits.add_element(study, Outfall(name="Side"))
    study = edits.connect(study, "mere", "side")
    study = edits.choose(study, "mere", "devices/1/leads_to", "side")
    case = case_of(compute_cases(study))
    names = {link.down: name for name, link in case.network.outlets["mere"]}
    low, high = case.flow_by(names["bridge"]), case.flow_by(names["side"])
    over = case.level("mere") > 2.0
    assert high[~over].max() == 0 < high[over].max()
    assert low + high == pytest.approx(case.flow("mere"), rel=1e-12)
    node = explain(study, case, "bridge", "peak")
    assert node.recomputed() == pytest.approx(node.value, rel=1e-12)


@pytest.mark.slow
def test_two_ponds_that_are_all_but_level_are_computed_together(study):
    study = put_pond_by_numbers(study, "Mere", "Tarn")
    for part in (
        ("storage", "prism", {"depth": "3", "plan_area": "4000"}),
        ("devices", "broad-weir", {"crest": "0.4"}),
    ):
        study = add_part_by_numbers(study, "Tarn", *part)
    study = edits.choose(study, "mere", "tailwater", TailwaterBelow(element="tarn"))
    case = case_of(compute_cases(study))
    upper, lower = case.level("mere"), case.level("tarn")
    flow = case.hydrograph("mere", case.network.outlets["mere"][0][0]).flow[0]
    # nothing flows back, and nothing where the lower one is as high
    assert flow.min() >= 0
    assert (flow[upper < lower - 1e-6] == 0).all()
    # it is drowned for a good part of the flood, and that holds water back
    assert (lower > 0.2).sum() > 20
    assert abs(float(case.run.balance.error[case.index])) < 1e-12


# pictures and words


def test_the_rating_is_drawn_with_its_devices_and_the_highest_level(study):
    results = compute_cases(study)
    plot = pond_plot(results, case_of(results), "mere")
    assert [curve.label for curve in plot.curves] == ["outflow", "low", "spillway"]
    assert np.sum([curve.y for curve in plot.curves[1:]], axis=0) == pytest.approx(plot.curves[0].y, rel=1e-12)
    assert "highest" in plot.marks[0].text
    assert pond_plot(results, case_of(results), "hask") is None
    us = rating_plot(study.elements["mere"], "US")
    assert (us.x.unit, us.y.unit) == ("ft", "cfs")


def test_parts_are_added_set_and_removed_by_words(run):
    study = run.folder / "one.tarn.json"
    run("new", study, "--title", "One")
    run("add", study, "catchment", "Hask", "area=0.5km2", "curve_number=85", "lag=30min")
    assert "Mere" in run("pond", study, "Hask", "Mere")
    run("add-part", study, "Mere", "storage", "frustum", "depth=3m", "length=60m", "width=40m")
    run("add-part", study, "Mere", "devices", "round-orifice", "name=low", "diameter=400mm")
    run("add-part", study, "Mere", "devices", "broad-weir", "name=spillway", "crest=2m")
    run("set", study, "Mere", "devices.low.diameter=16in", "devices.spillway.state=closed", "tailwater=fixed-level",
        "tailwater.level=0.1m")  # fmt: skip
    from tarnwater.study.file.store import read_study

    mere = read_study(study)[0].elements["mere"]
    assert mere.devices[0].diameter == pytest.approx(0.4064)
    assert mere.devices[1].closed
    assert mere.tailwater.level == 0.1
    run("remove-part", study, "Mere", "devices.low")
    assert [one.name for one in read_study(study)[0].elements["mere"].devices] == ["spillway"]
    assert "storage, devices" in run("add-part", study, "Mere", "doors", "frustum", code=2)
    assert "no device" in run("add-part", study, "Mere", "devices", "round-hole", code=2)
    assert "spillway" in run("remove-part", study, "Mere", "devices.lo", code=2)


def test_by_words_a_part_goes_into_one_condition(study):
    study = edits.add_condition(study, "Built")
    study = add_part_by_numbers(study, "Mere", "devices", "sharp-weir", {"name": "slot"}, condition="built")
    assert len(study.elements["mere"].devices) == 2
    assert resolve(study, "built").elements["mere"].devices[2].name == "slot"
    study = remove_part_by_numbers(study, "Mere", "devices.slot", condition="built")
    assert len(resolve(study, "built").elements["mere"].devices) == 2


def test_a_size_typed_in_a_condition_after_all_devices_were_chosen_there_holds():
    study = yard_with_pond()
    condition = list(study.conditions)[-1]
    first = resolve(study, condition).elements["pond"].devices
    typed = edits.type_values(study, [("pond", "devices/0/diameter", 0.21)], condition=condition)
    chosen = edits.choose(typed, "pond", "devices", first, condition=condition)
    assert resolve(chosen, condition).elements["pond"].devices == first
    again = edits.type_values(chosen, [("pond", "devices/0/diameter", 0.23)], condition=condition)
    assert resolve(again, condition).elements["pond"].devices[0].diameter == 0.23
    last = edits.choose(again, "pond", "devices", first, condition=condition)
    assert resolve(last, condition).elements["pond"].devices == first


def yard_with_pond():
    from tests.study.test_sizing import yard

    return edits.add_condition(yard(), "Built")
