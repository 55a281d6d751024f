"""A method within a method chosen in one act of words."""

import pytest

from tarnwater.errors import BadInput, UnknownName
from tarnwater.network.elements import Outfall, Reach
from tarnwater.study import edits
from tarnwater.study.document import Study
from tarnwater.study.edits.assignments import assign


@pytest.fixture
def study():
    made = edits.add_element(edits.add_element(Study(title="N"), Reach(name="Beck", length=900.0)), Outfall(name="Out"))
    return edits.connect(made, "beck", "out")


def test_a_section_is_chosen_with_its_reach_method(study):
    given = {"method": "muskingum-cunge", "method.bed_slope": "0.4 %", "method.section": "circle",
             "method.section.diameter": "900 mm"}  # fmt: skip
    method = assign(study, "beck", given).elements["beck"].method
    assert method.tag() == "muskingum-cunge"
    assert method.bed_slope.typed_value == 0.004
    assert method.section.tag() == "circle"
    assert method.section.diameter == pytest.approx(0.9)


def test_values_of_a_section_that_is_not_named_are_refused(study):
    with pytest.raises(BadInput, match="section"):
        assign(study, "beck", {"method": "muskingum-cunge", "method.section.diameter": "900 mm"})


def test_a_section_that_does_not_exist_is_refused_with_the_nearest(study):
    with pytest.raises(UnknownName, match="Did you mean “circle”"):
        assign(study, "beck", {"method": "muskingum-cunge", "method.section": "circular"})
