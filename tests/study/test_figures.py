"""Plots as data, the layout of the flow tree, and edits of many values as one act."""

import numpy as np
import pytest

from tarnwater.errors import OutOfRange, UnknownName
from tarnwater.network.elements import Catchment, Confluence, Outfall, Reach, Surface
from tarnwater.network.graph import Network
from tarnwater.plots import Axis, Bars, Curve, Plot
from tarnwater.runoff.losses import CurveNumber
from tarnwater.study import edits
from tarnwater.study.answers.figures import case_title, difference, what_makes_the_peak
from tarnwater.study.document import Study
from tarnwater.study.document.blobs import Blobs
from tarnwater.study.pictures.hydrographs import flow_plot, rain_plot, unit_hydrograph_plot
from tarnwater.study.pictures.layout import outline_in_unit_square, tree_places

BRIDGE, YARD = "pellowford-outlet", "yard-outlet"


@pytest.fixture(scope="module")
def case(demo_results):
    return demo_results.answer("existing", BRIDGE, 100.0).result


def test_what_is_kept_and_what_runs_off_make_up_the_rain(demo_results, case):
    plot = rain_plot(demo_results, case, "hask")
    kept, runs_off = plot.bars
    assert kept.heights.sum() + runs_off.heights.sum() == pytest.approx(case.rain_depth(case.case.point), rel=1e-12)
    assert np.array_equal(runs_off.base, kept.heights)
    assert plot.y.downward
    assert (kept.role, runs_off.role) == ("loss", "rain")


def test_a_hydrograph_plot_names_condition_storm_and_duration_and_has_one_unit(demo_results, case):
    other = demo_results.governing("yard-surfaced", BRIDGE, 100.0)
    plot = flow_plot(demo_results, [case, other], BRIDGE, limit=150.0)
    assert plot.title == "Pellowford bridge · Existing, Yard surfaced · Valley storms, 1 in 100 · 12 h"
    assert plot.y.title == "flow, m³/s"
    assert [c.style for c in plot.curves] == ["solid", "dashed"]
    assert plot.curves[0].y.max() == pytest.approx(case.peak(BRIDGE).ordinate, rel=1e-15)
    assert plot.levels[0].text == "limit 150.0 m³/s"
    assert plot.marks[0].text == "113.3 m³/s at 7 h 14 min"


def test_a_ghost_is_drawn_faintly_behind(demo_results, case):
    plot = flow_plot(demo_results, [case], BRIDGE, ghost=case)
    looks = [(c.role, c.label) for c in plot.curves]
    assert looks == [("quiet", "before the edit"), ("water", "Existing"), ("quiet", "baseflow")]
    assert plot.curves[2].y == pytest.approx(case.base(BRIDGE)[0])


def test_an_element_that_a_condition_leaves_out_is_left_out_of_the_plot(demo_results):
    both = [demo_results.governing(c, YARD, 10.0) for c in ("existing", "yard-surfaced")]
    assert len(flow_plot(demo_results, both, "old-ditch").curves) == 1


def test_a_unit_hydrograph_is_printed_with_the_depth_it_stands_for(demo_results, case):
    plot = unit_hydrograph_plot(demo_results, case, "hask")
    assert "volume 1 mm (printed table)" in plot.title
    assert plot.y.unit.endswith("per mm")
    curve = plot.curves[0]
    volume = np.trapezoid(curve.y, curve.x) * 3600 * (0.001 if plot.y.unit.startswith("L") else 1)
    area = demo_results.study.elements["hask"].area.value
    # the last ordinate is zero, so the trapezoid is the whole
    assert volume == pytest.approx(0.001 * area, rel=1e-6)


def test_what_makes_the_peak_adds_up_to_it_and_its_parts_do_not(case):
    parts = what_makes_the_peak(case, BRIDGE)
    assert sum(then for _, then, _ in parts) == pytest.approx(case.peak(BRIDGE).ordinate, rel=1e-12)
    assert sum(peak for *_, peak in parts) > case.peak(BRIDGE).ordinate
    assert [then for _, then, _ in parts] == sorted((then for _, then, _ in parts), reverse=True)


def test_a_difference_needs_another_answer(demo_results):
    one, other = (demo_results.answer(c, YARD, 10.0) for c in ("yard-surfaced", "existing"))
    assert difference(one, other) == one.figures.peak.ordinate - other.figures.peak.ordinate
    assert difference(one, None) is None


def test_a_case_is_titled_with_all_that_names_it(demo_results, case):
    assert case_title(demo_results, case) == "Existing · Valley storms, 1 in 100 · 12 h"


def test_a_plot_is_copied_as_data_exact_and_ragged_columns_are_filled_up():
    plot = Plot(
        "t", Axis("time", "h"), Axis("flow", "m³/s"),
        curves=(Curve(np.array([0.0, 0.1]), np.array([1 / 3, 2.0]), "water", "one"),),
        bars=(Bars(np.array([0.0]), 0.5, np.array([7.0]), "rain", "rain"),),
    )  # fmt: skip
    table = plot.as_table()
    assert table[0] == ["time, h", "one m³/s", "time, h (end)", "rain m³/s"]
    assert table[1] == ["0.0", repr(1 / 3), "0.5", "7.0"]
    assert table[2] == ["0.1", "2.0", "", ""]
    assert Plot("empty", Axis("x"), Axis("y")).as_table() == []


def test_in_the_flow_tree_each_element_lies_above_what_it_drains_to(case):
    places = tree_places(case.network)
    assert set(places) == set(case.network.elements)
    for up, downs in case.network.downstream.items():
        for down in downs:
            assert places[up][1] < places[down][1]
    heads = [places[k][0] for k in case.network.order if not case.network.upstream[k]]
    assert len(set(heads)) == len(heads)
    assert all(0 <= x <= 1 and 0 <= y <= 1 for x, y in places.values())


def test_a_single_chain_stands_in_the_middle_and_nothing_has_no_places():
    elements = {"a": Reach(name="A"), "b": Outfall(name="B")}
    links = edits.connect(edits.add_element(edits.add_element(Study(), elements["a"]), elements["b"]), "a", "b").links
    assert {x for x, _ in tree_places(Network(elements, links)).values()} == {0.5}
    assert tree_places(Network({}, {})) == {}


def test_small_outlines_lie_in_the_unit_square(demo):
    study, blobs = demo
    shapes = [outline_in_unit_square(catchment, blobs) for catchment in study.catchments.values()]
    assert sum(shape is not None for shape in shapes) > 2
    for shape in shapes:
        if shape is None:
            continue
        points = np.array(shape)
        assert points.min() >= 0
        assert points.max() <= 1
        assert len(points) < 80
    assert outline_in_unit_square(Catchment(name="No map"), Blobs()) is None


# many values as one act -----------------------------------------------------------------------


@pytest.fixture
def two():
    soil = (Surface(share=1.0, loss=CurveNumber(curve_number=70)),)
    study = edits.add_draining(Study(), Catchment(name="One", area=1e6, lag=600.0, surfaces=soil))
    return edits.add_draining(study, Catchment(name="Two", area=2e6, lag=900.0, surfaces=soil))


def test_many_values_are_typed_together(two):
    values = [("one", "lag", "20 min"), ("two", "lag", 1800.0), ("one", "surfaces/0/loss/curve_number", "80")]
    typed = edits.type_values(two, values, by="E. M.", note="walked")
    assert [typed.elements[k].lag.typed.value for k in ("one", "two")] == [1200.0, 1800.0]
    assert typed.elements["one"].surfaces[0].loss.curve_number.typed.note == "walked"
    assert (
        typed.elements["one"].surfaces[0].loss.abstraction.value
        < two.elements["one"].surfaces[0].loss.abstraction.value
    )
    assert edits.type_values.label(two, values) == "type 3 values"


def test_one_refused_value_refuses_all(two):
    with pytest.raises(OutOfRange, match="Two, lag"):
        edits.type_values(two, [("one", "lag", "20 min"), ("two", "lag", "-3 min")])
    with pytest.raises(UnknownName):
        edits.type_values(two, [("three", "lag", "20 min")])


def test_many_values_are_given_back_together(two):
    back = edits.type_values(
        two, [(*one, None) for one in [("one", "lag"), ("two", "lag"), ("two", "transform/peak_rate_factor")]]
    )
    assert back.elements["one"].lag.value is None
    assert back.elements["two"].transform.peak_rate_factor == 484


def test_the_first_element_makes_an_outfall_and_several_outfalls_are_not_guessed_at(two):
    assert list(two.outfalls) == ["outfall"]
    more = edits.add_draining(two, Outfall(name="Second"))
    alone = edits.add_draining(more, Confluence(name="Lone"))
    assert not [link for link in alone.links.values() if link.up == "lone"]
    assert edits.add_draining(more, Confluence(name="J"), into="second").links["j-to-second"].down == "second"


def test_a_number_is_in_the_unit_it_was_shown_in_unless_it_brings_its_own(two):
    one = two.elements["one"]
    assert edits.read_value(one, "area", "3", "km²") == 3e6
    assert edits.read_value(one, "area", "3 km2", "ha") == 3e6
    assert edits.read_value(one, "lag", "90", "min") == 5400.0
