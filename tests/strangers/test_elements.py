"""Elements that the program has never met: several ways down, levels that are felt, and water that is not there."""

import csv
import json

import numpy as np
import pytest

from tarnwater.brief.tables import write_tables
from tarnwater.errors import ComputationFailed
from tarnwater.network.cache import ResultCache
from tarnwater.network.elements import Catchment, Confluence, Inflow, Link, Outfall, Reach, Surface
from tarnwater.network.engine import Batch, compute
from tarnwater.network.graph import Network
from tarnwater.rain.depth_table import DepthTable
from tarnwater.rain.storms import Rain, StormFamily
from tarnwater.routing.reaches import Muskingum
from tarnwater.runoff.baseflow import ConstantBaseflow
from tarnwater.runoff.losses import CurveNumber
from tarnwater.study import edits
from tarnwater.study.answers import compute_cases
from tarnwater.study.answers.figures import what_makes_the_peak
from tarnwater.study.checks import check, check_results
from tarnwater.study.document import DesignPoint, Study
from tarnwater.study.document.blobs import Blobs
from tarnwater.study.document.conditions import resolve
from tarnwater.study.edits.in_conditions import lead_through_in
from tarnwater.study.file import StudyFile
from tarnwater.study.pictures.hydrographs import flow_plot
from tarnwater.study.pictures.layout import tree_places
from tarnwater.study.reckonings import explain

from .elements import Basin, Doubler, Fork, Leak, Spout, Tap

HOUR = 3600.0
RAIN = Rain(np.random.default_rng(3).gamma(0.5, 4.0, (3, 40)), 600.0)


def land(name="Hask", area=2e6):
    surfaces = (Surface(share=1.0, loss=CurveNumber(curve_number=80.0)),)
    return Catchment(
        name=name, area=area, lag=2400.0, surfaces=surfaces, baseflow=ConstantBaseflow(flow=0.2)
    ).refreshed()


def network(*pairs, **elements):
    return Network(elements, {f"{u}-{d}": Link(up=u, down=d) for u, d in pairs})


def forked(one=None):
    """A catchment into an element of two ways, a reach on the first, both joined again above the end."""
    return network(
        ("a", "f"), ("f", "r"), ("f", "j"), ("r", "j"), ("j", "o"),
        a=land(), f=one or Fork(name="Fork", share=0.3), j=Confluence(name="Meet"), o=Outfall(name="Sea"),
        r=Reach(name="Beck", method=Muskingum(travel_time=2400.0, weight=0.2, parts=2)),
    )  # fmt: skip


def drowned(step_area=4e4):
    """Two basins, the upper of which feels the lower."""
    return network(
        ("a", "u"), ("u", "d"), ("b", "d"), ("d", "o"),
        a=land(), b=land("Ling", 3e6), o=Outfall(name="Sea"),
        u=Basin(name="Upper", area=step_area, below="d"), d=Basin(name="Lower", area=step_area),
    )  # fmt: skip


def whole_error(result):
    return float(np.abs(result.balance.error).max())


def test_several_ways_down_part_the_water_and_keep_it():
    result = compute(Batch(forked(), RAIN, 600.0, 90))
    fork, came = result.responses["f"], result.responses["a"]
    assert fork.ways[0].flow == pytest.approx(0.3 * came.flow, rel=1e-13)
    assert fork.ways[1].flow == pytest.approx(0.7 * came.flow, rel=1e-13)
    assert result.responses["j"].base == pytest.approx(0.2)
    # rounding only
    assert all(np.abs(r.balance.error).max() < 1e-12 for r in result.responses.values())
    assert whole_error(result) < 1e-12
    assert not forked().faults


@pytest.mark.parametrize("one", [Doubler(name="D"), Leak(name="L"), Spout(name="S")], ids=["doubled", "lost", "booked"])
def test_a_litre_that_is_doubled_lost_or_booked_from_outside_breaks_the_balance(one):
    net = forked(one) if one.several_down else network(("a", "f"), ("f", "o"), a=land(), f=one, o=Outfall(name="Sea"))
    result = compute(Batch(net, RAIN, 600.0, 90))
    assert np.abs(result.responses["f"].balance.error).max() > 1e-4
    assert whole_error(result) > 1e-4


def test_an_inflow_element_lets_water_in_and_it_balances():
    given = Inflow(name="I", times=(0.0, 1000.0, 9000.0), flows=(0.0, 3.0, 0.0))
    net = network(("i", "f"), ("f", "o"), ("f", "p"), i=given, f=Fork(name="F", share=0.25), o=Outfall(name="O"),
                  p=Outfall(name="P"))  # fmt: skip
    result = compute(Batch(net, Rain(np.zeros((1, 1)), 600.0), 600.0, 90))
    assert result.balance.outside[0] == pytest.approx(13_500.0, rel=1e-12)
    assert result.responses["o"].hydrograph.total[0] == pytest.approx(0.25 * 13_500.0, rel=1e-12)
    assert whole_error(result) < 1e-12


def test_a_part_of_a_network_parts_the_flow_as_the_whole_does():
    whole = forked()
    part = whole.part_above(["r"])
    assert set(part.elements) == {"a", "f", "r"}
    assert part.beyond == {"j"}
    assert not part.faults
    alone, together = (compute(Batch(net, RAIN, 600.0, 90)) for net in (part, whole))
    assert np.array_equal(alone.responses["r"].flow, together.responses["r"].flow)
    assert whole_error(alone) < 1e-12


def test_elements_that_feel_each_other_are_one_node_of_the_pass():
    net = drowned()
    assert ("u", "d") in net.groups
    result = compute(Batch(net, RAIN, 600.0, 120))
    upper, lower = result.responses["u"], result.responses["d"]
    # the level of the lower one is that with which the upper one was computed
    height = np.maximum(upper.level - lower.level, 0.0)
    assert upper.flow == pytest.approx(Basin.conveyance * height, rel=1e-6, abs=1e-8)
    assert whole_error(result) < 1e-12
    free = compute(Batch(Network({**net.elements, "u": Basin(name="Upper", area=4e4)}, net.links), RAIN, 600.0, 120))
    assert upper.flow.max() < 0.99 * free.responses["u"].flow.max()
    assert net.part_above(["u"]).elements.keys() == {"a", "b", "u", "d"}


def test_levels_that_never_come_to_rest_are_said_with_the_elements(monkeypatch):
    monkeypatch.setattr("tarnwater.network.engine.MOST_SWEEPS", 2)
    with pytest.raises(ComputationFailed, match="Upper, Lower"):
        compute(Batch(drowned(), RAIN, 600.0, 120))


@pytest.mark.parametrize("net", [forked(), drowned()], ids=["two ways", "feeling each other"])
def test_a_batch_equals_its_cases_and_a_cut_run_equals_one_in_one_piece(net):
    whole = compute(Batch(net, RAIN, 600.0, 90), threads=2)
    first = compute(Batch(net, Rain(RAIN.depths[:, :17], 600.0), 600.0, 17))
    rest = compute(Batch(net, Rain(RAIN.depths[:, 17:], 600.0), 600.0, 73, start=first.states))
    for case in range(3):
        alone = compute(Batch(net, RAIN.of(slice(case, case + 1)), 600.0, 90), threads=1)
        for key, response in alone.responses.items():
            assert np.array_equal(response.flow[0], whole.responses[key].flow[case]), key
    for key, response in whole.responses.items():
        joined = np.concatenate([first.responses[key].flow, rest.responses[key].flow[:, 1:]], axis=1)
        # levels of a group stand to 1e-9 m, flows so to 2e-9 m3/s
        assert joined == pytest.approx(response.flow, rel=1e-9, abs=1e-8), key
    assert whole_error(rest) < 1e-12


def test_values_by_case_reach_an_element_of_several_ways():
    shares = np.array([0.1, 0.9, 0.1])
    result = compute(Batch(forked(), RAIN, 600.0, 90, values={("f", ("share",)): shares}))
    fork, came = result.responses["f"], result.responses["a"]
    assert fork.ways[0].flow == pytest.approx(shares[:, None] * came.flow, rel=1e-13)
    assert whole_error(result) < 1e-12


def test_the_cache_tells_the_ways_of_an_element_apart():
    cache = ResultCache()
    one, other = forked(), forked()
    turned = dict(reversed(one.links.items()))
    for net in (one, other, Network(one.elements, turned), drowned(), drowned(5e4), drowned()):
        cached, plain = compute(Batch(net, RAIN, 600.0, 90), cache=cache), compute(Batch(net, RAIN, 600.0, 90))
        for key, response in plain.responses.items():
            assert np.array_equal(response.flow, cached.responses[key].flow), key


@pytest.fixture
def study():
    """A fork whose ways end apart, and below one of them two basins that feel each other."""
    made = Study(title="Ways")
    for element in (
        land(), Fork(name="Fork", share=0.3), Outfall(name="Mill"), Basin(name="Upper", area=4e4, below="lower"),
        Basin(name="Lower", area=4e4), Outfall(name="Sea"),
    ):  # fmt: skip
        made = edits.add_element(made, element)
    for up, down in (("hask", "fork"), ("fork", "mill"), ("fork", "upper"), ("upper", "lower"), ("lower", "sea")):
        made = edits.connect(made, up, down)
    table = DepthTable(durations=(HOUR, 6 * HOUR), return_periods=(100.0,), depths=((43.0,), (88.0,)))
    made = edits.set_table(made, "t", table)
    return edits.set_family(made, "f", StormFamily(table="t", return_periods=(100.0,), durations=(HOUR, 6 * HOUR)))


def test_a_study_of_them_is_written_and_read_back_and_connected_once(study, tmp_path):
    assert Study.model_validate(json.loads(study.as_text())) == study
    StudyFile.create(tmp_path / "a.tarn.gpkg", study, Blobs()).close()
    again = StudyFile.open(tmp_path / "a.tarn.gpkg")
    assert again.study == study
    again.close()
    assert len([link for link in study.links.values() if link.up == "fork"]) == 2
    assert edits.connect(study, "fork", "mill") is study


def test_cases_answer_at_both_ends_and_the_balance_holds(study):
    results = compute_cases(study)
    answers = {answer.result.case.point: answer for answer in results.answers()}
    assert set(answers) == {"mill", "sea"}
    mill = answers["mill"].result
    assert mill.peak("mill").ordinate == pytest.approx(0.3 * mill.peak("hask").ordinate, rel=1e-12)
    assert mill.peak_by("fork-to-mill").ordinate == mill.peak("mill").ordinate
    assert answers["sea"].result.level("upper").max() > 0
    for case in results.cases:
        assert abs(float(case.run.balance.error[case.index])) < 1e-12
        assert case.receded(case.case.point, study.run.recession_share)
    assert not [f for f in (*check(study), *check_results(results)) if f.code in ("balance", "two-links-down")]


def test_an_element_whose_level_is_felt_keeps_its_reason_when_it_cannot_be_computed(study):
    made = edits.add_element(study, Catchment(name="Ling"))
    made = edits.connect(made, "ling", "lower")
    made = edits.set_design_point(made, "upper", DesignPoint())
    results = compute_cases(made)
    # what lies below acts on the level, and so on the flow
    assert {withheld.reason for withheld in results.withheld} == {"Ling: the area is missing."}


def test_two_ends_below_one_element_stand_apart(study):
    sites = tree_places(resolve(edits.disconnect(study, "upper-to-lower"), "existing"))
    assert len(set(sites.values())) == len(sites)
    assert all(0 <= x <= 1 and 0 <= y <= 1 for x, y in sites.values())


def test_an_element_is_led_through_on_one_way_in_a_condition_only(study):
    made = lead_through_in(study, "existing", "fork", Confluence(name="Meet"))
    links = {(link.up, link.down) for link in resolve(made, "existing").links.values()}
    assert {("fork", "meet"), ("meet", "mill"), ("fork", "upper")} <= links
    assert ("fork", "mill") not in links


@pytest.mark.slow
def test_tree_plots_and_tables_show_each_way(study, tmp_path):
    results = compute_cases(study)
    sea = next(case for case in results.cases if case.case.point == "sea")
    assert set(tree_places(sea.network)) == set(sea.network.elements)
    plot = flow_plot(results, [sea], "fork")
    assert [curve.label for curve in plot.curves][1:3] == ["to Mill", "to Upper"]
    entering = what_makes_the_peak(sea, "upper")
    assert entering[0][2] == pytest.approx(0.7 * sea.peak("hask").ordinate, rel=1e-12)
    write_tables(results, tmp_path)
    heads, *rows = list(csv.reader((tmp_path / "hydrographs.csv").read_text().splitlines()))
    first, second, whole = (heads.index(f"{n} m3/s") for n in ("Fork to Mill", "Fork to Upper", "Fork"))
    for row in rows:
        # ten digits are written
        assert float(row[first]) + float(row[second]) == pytest.approx(float(row[whole]), rel=1e-9, abs=1e-12)


@pytest.mark.slow
@pytest.mark.parametrize("point", ["mill", "sea"])
def test_their_reckonings_evaluate(study, point):
    results = compute_cases(study)
    case = next(case for case in results.cases if case.case.point == point)
    for key in case.network.elements:
        for figure in ("flow", "peak", "volume"):
            for node in explain(study, case, key, figure, results=results).walk():
                made = node.recomputed()
                value = made.flow if hasattr(made, "flow") else made
                known = node.value.flow if hasattr(node.value, "flow") else node.value
                if isinstance(value, float | np.ndarray):
                    # levels of a group stand to 1e-9 m
                    assert value == pytest.approx(known, rel=1e-7, abs=1e-8), node.title


@pytest.fixture
def tapped(study):
    """The study of ways with a tap on the upper basin."""
    return edits.connect(edits.add_element(study, Tap(name="Tap", rate=0.5, lasting=2.5 * HOUR)), "tap", "upper")


def test_an_element_that_lets_water_in_is_at_home_everywhere(tapped, tmp_path):
    assert Study.model_validate(json.loads(tapped.as_text())) == tapped
    with StudyFile.create(tmp_path / "a.tarn.gpkg", tapped, Blobs()) as file:
        assert file.study == tapped
    assert "tap" in tree_places(resolve(tapped, "existing"))
    results = compute_cases(tapped)
    sea = next(answer.result for answer in results.answers() if answer.result.case.point == "sea")
    assert sea.balance("tap").outside[0] == pytest.approx(0.5 * 2.5 * HOUR, rel=1e-12)
    assert sea.figures("sea").given_volume == pytest.approx(0.5 * 2.5 * HOUR, rel=1e-12)
    assert abs(float(sea.run.balance.error[sea.index])) < 1e-12
    assert flow_plot(results, [sea], "tap").curves[0].y.max() == 0.5
    for key in ("tap", "upper", "sea"):
        for node in explain(tapped, sea, key, "peak", results=results).walk():
            made = node.recomputed()
            if isinstance(node.value, float) and isinstance(made, float):
                # levels of a group stand to 1e-9 m
                assert made == pytest.approx(node.value, rel=1e-7, abs=1e-8), node.title
    write_tables(results, tmp_path / "out")
    rows = list(csv.DictReader((tmp_path / "out/balance.csv").read_text().splitlines()))
    let_in = [float(row["from_outside_m3"]) for row in rows if row["element"] == "Tap"]
    assert let_in == pytest.approx([0.5 * 2.5 * HOUR] * len(let_in), rel=1e-9)
    assert let_in


def test_a_run_with_an_element_that_lets_water_in_is_cut_in_two(tapped):
    net = network(("t", "o"), t=Tap(name="T", rate=2.0, lasting=7000.0), o=Outfall(name="O"))
    nothing = Rain(np.zeros((1, 30)), 600.0)
    whole = compute(Batch(net, nothing, 600.0, 30))
    first = compute(Batch(net, Rain(nothing.depths[:, :9], 600.0), 600.0, 9))
    rest = compute(Batch(net, Rain(nothing.depths[:, 9:], 600.0), 600.0, 21, start=first.states))
    joined = np.concatenate([first.responses["o"].flow, rest.responses["o"].flow[:, 1:]], axis=1)
    assert np.array_equal(joined, whole.responses["o"].flow)
    assert whole.balance.outside[0] == pytest.approx(14_000.0, rel=1e-12)
    assert whole_error(whole) < 1e-12
