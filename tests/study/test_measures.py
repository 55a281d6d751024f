"""Measures of catchments, worked out from what was counted on the terrain."""

import re
from math import sqrt

import pytest

from tarnwater.study import edits
from tarnwater.study.document.conditions import resolve
from tarnwater.study.reckonings.settings import SettingReckonings

COUNTED = ("area", "perimeter", "relief", "flow_length", "centroid_length", "drainage_density")


def book(study):
    return SettingReckonings(study, "existing", resolve(study, "existing"))


def of_terrain(study):
    return [key for key, one in study.catchments.items() if one.counts is not None and not one.drawn]


@pytest.mark.parametrize("field", COUNTED)
def test_a_measure_follows_from_its_counts_with_the_numbers_shown(demo_study, field):
    for key in of_terrain(demo_study):
        node = book(demo_study).setting(key, field)
        assert node.inputs, (key, field)
        assert node.value == getattr(demo_study.catchments[key], field).value
        assert node.recomputed() == pytest.approx(node.value, rel=1e-12)
        shown = re.sub(r" (m/m²|m)(?!\w)", "", node.substituted).replace("×", "*").replace("−", "-")
        shown = re.sub(r"√(\(.*\))", r"sqrt\1", shown).replace("^2", "**2")
        shown = re.sub(r"(\d) (?=sqrt)", r"\1 * ", shown)
        # the numbers of an equation have five figures; a difference of two of them loses one
        assert eval(shown, {"sqrt": sqrt}) == pytest.approx(node.value, rel=5e-4), shown


def test_counts_of_cells_are_shown_whole(demo_study):
    (cells, *_) = book(demo_study).setting("hask", "area").inputs
    assert cells.value > 9999
    assert cells.shown() == str(cells.value)


def test_an_outline_that_was_given_has_its_relief_and_density_from_the_terrain(demo_study):
    drawn = [key for key, one in demo_study.catchments.items() if one.drawn and one.counts is not None]
    assert drawn
    for key in drawn:
        assert not book(demo_study).setting(key, "area").inputs
        relief, density = (book(demo_study).setting(key, name) for name in ("relief", "drainage_density"))
        assert relief.recomputed() == pytest.approx(relief.value, rel=1e-12)
        assert density.recomputed() == pytest.approx(density.value, rel=1e-12)


def test_a_typed_measure_is_typed_and_not_counted(demo_study):
    study = edits.type_values(demo_study, [("hask", "relief", "300 m")])
    node = book(study).setting("hask", "relief")
    assert not node.inputs
    assert node.origin.startswith("typed")


def test_counts_that_no_longer_hold_work_nothing_out(demo_study):
    hask = demo_study.catchments["hask"]
    other = hask.model_copy(update={"relief": hask.relief.with_derived(1.0)})
    study = demo_study.model_copy(update={"elements": {**demo_study.elements, "hask": other}})
    node = book(study).setting("hask", "relief")
    assert (node.value, node.inputs) == (1.0, ())
