"""Putting a study together by numbers, and the words of reckonings."""

import numpy as np
import pytest

from tarnwater.errors import BadInput, TableError, UnitError, UnknownName
from tarnwater.hydrograph import Hydrograph
from tarnwater.network.elements import Catchment, Surface
from tarnwater.reckoning import Reckoning
from tarnwater.study import edits
from tarnwater.study.answers.asked import storms_asked
from tarnwater.study.document import Study
from tarnwater.study.edits.assignments import find_path
from tarnwater.study.edits.by_numbers import add_by_numbers, set_by_numbers, table_from_lists


def test_the_first_element_gets_an_outfall_and_the_next_ones_drain_to_it():
    study = add_by_numbers(Study(), "catchment", "Hask", {"area": "3km2"})
    study = add_by_numbers(study, "reach", "Beck", {"length": "900 m", "celerity": "1.5"})
    assert [(link.up, link.down) for link in study.links.values()] == [("hask", "outfall"), ("beck", "outfall")]
    study = add_by_numbers(study, "catchment", "Mill", {}, into="Beck")
    assert study.links["mill-to-beck"].down == "beck"
    assert study.elements["beck"].method.travel_time.value == 600.0


def test_a_refused_value_adds_nothing():
    before = Study()
    with pytest.raises(UnitError):
        add_by_numbers(before, "catchment", "Hask", {"area": "3 h"})
    assert not before.elements


def test_values_may_be_typed_for_one_condition():
    study = add_by_numbers(Study(), "catchment", "Hask", {"lag": "1 h"}, by="E. M.")
    study = edits.add_condition(study, "Built")
    study = set_by_numbers(study, "Hask", {"lag": "40 min"}, condition="Built", by="E. M.")
    assert study.conditions["built"].settings["hask/lag"].by == "E. M."
    assert study.elements["hask"].lag.value == 3600.0


def test_a_field_is_found_by_its_last_name_unless_there_are_several():
    one = Catchment(name="One")
    two = Catchment(name="Two", surfaces=(Surface(share=0.5), Surface(share=0.5)))
    assert find_path(one, "curve_number") == "surfaces/0/loss/curve_number"
    assert find_path(two, "surfaces/1/loss/curve_number") == "surfaces/1/loss/curve_number"
    with pytest.raises(BadInput, match="Name the one meant by its path"):
        find_path(two, "curve_number")
    with pytest.raises(UnknownName, match="Did you mean “area”"):
        find_path(one, "aera")


def test_depths_are_read_from_a_line():
    table = table_from_lists(["100: 15min 24, 1h 43", "2: 1h 16, 15 min 9"], "mm")
    assert table.return_periods == (2.0, 100.0)
    assert table.depths == ((9.0, 24.0), (16.0, 43.0))
    assert table_from_lists(["100: 15min 1, 1h 2"], "in").depths[1] == (50.8,)


@pytest.mark.parametrize(
    ("lines", "said"),
    [(["100 1h 43"], "is no list of depths"), (["2: 15min 9, 1h 16", "10: 1h 26, 2h 30"], "other durations"),
     (["100: 1h, 6h"], "is no list of depths")],
)  # fmt: skip
def test_a_line_that_holds_no_depths_is_refused(lines, said):
    with pytest.raises(TableError, match=said):
        table_from_lists(lines, "mm")


def test_storms_are_asked_for_by_return_period_and_duration(demo_study):
    assert storms_asked(demo_study, ["1 in 100/6h"])["durations"] == [21600.0]
    assert storms_asked(demo_study, ["Valley storms"])["families"] == ["valley-storms"]
    assert storms_asked(demo_study, []) == dict.fromkeys(("families", "return_periods", "durations", "storms"))
    with pytest.raises(UnknownName, match="There are: 2, 10, 30, 100, 200"):
        storms_asked(demo_study, ["50"])


def leaf(value, kind, symbol, unit=""):
    return Reckoning(symbol, value, kind, symbol=symbol, unit=unit, origin="typed")


def test_an_equation_is_shown_with_its_numbers_in_the_units_it_wants():
    node = Reckoning("time", 3600.0, "time", symbol="Tc", equation="Tc = 0.0195 L^0.77 S^−0.385 min",
                     inputs=(leaf(2000.0, "length", "L", "m"), leaf(0.05, "slope", "S", "m/m")))  # fmt: skip
    assert node.substituted == "0.0195 × (2000 m)^0.77 × (0.05 m/m)^−0.385 min"


def test_an_equation_of_arrays_is_left_in_symbols():
    flow = Hydrograph(np.array([[0.0, 2.0, 1.0]]), 600.0)
    node = Reckoning("peak", 2.0, "flow", symbol="Qp", equation="Qp = max Q", inputs=(Reckoning("flow", flow, "flow"),))
    assert node.substituted == ""
    lines = list(node.lines())
    assert lines[0] == "peak Qp = 2.000 m³/s"
    assert "3 ordinates, the highest 2.000 m³/s at 10 min" in lines[2]


def test_what_was_told_is_not_told_again_and_depth_is_kept():
    area = leaf(1e6, "area", "A")
    node = Reckoning("sum", 2e6, "area", symbol="S", equation="S = A + A", inputs=(area, area))
    assert "    … as above" in list(node.lines())
    assert list(node.lines(depth=0))[-1] == "  … 2 inputs below"
    assert next(node.lines("US")) == "sum S = 494.2 ac"
