"""Acts on a selection of several rows: they count on all of them, as one act."""

import pytest
from PyQt6.QtCore import Qt

from tarnwater.desk.widgets.finder import Finder
from tarnwater.network.elements import Catchment, Surface
from tarnwater.runoff.losses import NoLoss
from tarnwater.study import edits

from .conftest import CASES, CTRL, RUNOFF, SHIFT, Hand
from .test_mends import pick_condition

NAMES = ["Ash", "Birch", "Cherry", "Dogwood"]


@pytest.fixture
def trees(qtbot, open_window, rained_on):
    """A person at the Runoff bench of a study of four catchments, none of them from a map."""
    study = rained_on
    for name in NAMES:
        study = edits.add_draining(study, Catchment(name=name))
        for field, text in (("area", "2 km2"), ("surfaces/0/loss/curve_number", "75"), ("lag", "1 h")):
            study = edits.type_values(study, [(name.lower(), field, text)])
    hand = Hand(qtbot, open_window(study))
    hand.bench(RUNOFF)
    hand.settle()
    return hand


def mark_rows(hand, first, last):
    """Click a cell of the first row and extend the block by keys to the last."""
    sheet = hand.window.bench.sheet
    hand.click_cell(sheet, first, 1)
    for _ in range(last - first):
        hand.key(Qt.Key.Key_Down, SHIFT, on=sheet)
    return sheet


def drain_into(hand, sheet, letters):
    """Choose by letters what the selection drains into."""
    hand.key(Qt.Key.Key_L, CTRL, on=sheet)
    finder = hand.dialog(Finder)
    hand.write(letters, on=finder.line)
    hand.key(Qt.Key.Key_Return, on=finder.line)
    hand.settle()


def test_the_rows_of_a_block_are_what_acts_count_on_and_it_is_said(trees):
    sheet = mark_rows(trees, 0, 2)
    assert trees.desk.chosen == ("ash", "birch", "cherry")
    assert "actions apply to 3 elements" in trees.window.bench._head.text()
    words = [act.text() for act in trees.window._acts]
    assert "Remove 3 elements" in words
    assert "Drain 3 elements into …" in words
    trees.click_cell(sheet, 3, 1)
    assert trees.desk.chosen == ("dogwood",)
    trees.click(sheet.viewport(), sheet.visualRect(sheet.model().index(1, 1)).center(), SHIFT)
    assert trees.desk.chosen == ("birch", "cherry", "dogwood")
    trees.click_cell(sheet, 3, 1)
    assert "Remove the element" in [act.text() for act in trees.window._acts]


def test_removing_a_selection_is_one_act(trees):
    past = len(trees.desk.file.history.past)
    sheet = mark_rows(trees, 1, 3)
    trees.key(Qt.Key.Key_Delete, CTRL, on=sheet)
    trees.settle()
    assert list(trees.desk.study.catchments) == ["ash"]
    assert trees.desk.file.history.past[-1].label == "remove 3 elements"
    assert len(trees.desk.file.history.past) == past + 1
    trees.key(Qt.Key.Key_Z, CTRL, on=trees.window)
    trees.settle()
    assert sorted(trees.desk.study.catchments) == sorted(n.lower() for n in NAMES)
    assert len(trees.desk.study.links) == 4


def test_a_selection_drains_into_another_as_one_act(trees):
    sheet = mark_rows(trees, 0, 1)
    drain_into(trees, sheet, "cherry")
    network = trees.desk.network
    assert set(network.upstream["cherry"]) == {"ash", "birch"}
    assert trees.desk.file.history.past[-1].label == "connect 2 elements to Cherry"


def test_a_loop_refuses_the_whole_act(trees):
    sheet = mark_rows(trees, 0, 0)
    drain_into(trees, sheet, "cherry")
    before = trees.desk.study
    sheet = mark_rows(trees, 1, 2)
    drain_into(trees, sheet, "ash")
    assert trees.desk.study is before
    assert "loop" in trees.window.message.text()


def test_a_selection_becomes_design_points_and_none_again(trees):
    sheet = mark_rows(trees, 0, 2)
    for wanted in ({"ash", "birch", "cherry"}, set()):
        trees.key(Qt.Key.Key_E, CTRL, on=sheet)
        trees.settle()
        assert set(trees.desk.study.design_points) == wanted
        assert trees.desk.file.history.past[-1].label == "set 3 design points"


def test_a_selection_is_pinned_as_far_as_there_is_room(trees):
    sheet = mark_rows(trees, 0, 3)
    trees.key(Qt.Key.Key_P, CTRL, on=sheet)
    assert [pin.element for pin in trees.desk.pins] == ["ash", "birch", "cherry", "dogwood"]
    trees.find("bridge")
    trees.key(Qt.Key.Key_P, CTRL, on=trees.window)
    assert len(trees.desk.pins) == 4
    assert "unpin one first" in trees.window.message.text()


def test_another_bench_or_a_find_lets_the_selection_go(trees):
    mark_rows(trees, 0, 2)
    trees.bench(CASES)
    assert trees.desk.chosen == ("cherry",)
    trees.bench(RUNOFF)
    mark_rows(trees, 0, 2)
    trees.find("dogwood")
    assert trees.desk.chosen == ("dogwood",)


def test_catchments_of_the_map_and_others_are_removed_as_one_act(hand):
    study = hand.desk.study
    sheet = hand.window.bench.sheet
    keys = hand.window.bench.catchments.keys
    mapped = next(k for k in keys if k in study.outlets)
    loose = next(k for k in keys if k not in study.outlets)
    first, last = sorted((keys.index(mapped), keys.index(loose)))
    mark_rows(hand, first, last)
    gone = set(keys[first : last + 1])
    hand.key(Qt.Key.Key_Delete, CTRL, on=sheet)
    hand.settle()
    assert not gone & set(hand.desk.study.elements)
    assert mapped not in hand.desk.study.outlets
    hand.key(Qt.Key.Key_Z, CTRL, on=hand.window)
    hand.settle()
    assert hand.desk.study.elements == study.elements
    assert hand.desk.study.outlets == study.outlets


def test_a_selection_removed_in_a_condition_stays_in_the_others(hand):
    study = hand.desk.study
    pick_condition(hand, study.conditions[list(study.conditions)[-1]].name)
    keys = hand.window.bench.catchments.keys
    mapped = next(k for k in keys[:-1] if k in study.outlets)
    first = keys.index(mapped)
    sheet = mark_rows(hand, first, first + 1)
    gone = set(keys[first : first + 2])
    hand.key(Qt.Key.Key_Delete, CTRL, on=sheet)
    hand.settle()
    assert not gone & set(hand.desk.elements)
    assert gone & set(study.elements) <= set(hand.desk.study.elements)
    assert hand.desk.study.outlets == study.outlets


def test_a_loss_is_chosen_for_all_rows_but_never_for_one_of_several_surfaces(trees):
    sheet = mark_rows(trees, 0, 1)
    study = trees.desk.study
    assert trees.desk.choose("birch", "surfaces/0/loss", NoLoss())
    trees.settle()
    losses = {key: c.surfaces[0].loss.tag() for key, c in trees.desk.study.catchments.items()}
    assert losses == {"ash": "none", "birch": "none", "cherry": "curve-number", "dogwood": "curve-number"}
    trees.key(Qt.Key.Key_Z, CTRL, on=trees.window)
    trees.settle()
    two = (Surface(name="Field", share=0.5), Surface(name="Yard", share=0.5))
    assert trees.desk.do(edits.choose, "ash", "surfaces", two)
    trees.settle()
    mark_rows(trees, 0, 1)
    assert trees.desk.choose("birch", "surfaces/0/loss", NoLoss())
    assert [one.loss for one in trees.desk.study.elements["ash"].surfaces] == [one.loss for one in two]
    assert study.elements["birch"].surfaces[0].loss.tag() == "curve-number"
    assert sheet.isVisible()


def test_a_new_row_takes_the_methods_of_the_selected_one_and_a_duplicate_its_values_too(trees):
    trees.click_cell(trees.named("Sheet of catchments"), 1, 0)
    trees.settle()
    birch = trees.desk.selection
    assert trees.desk.choose(birch, "surfaces/0/loss", NoLoss())
    trees.settle()
    trees.key(Qt.Key.Key_Insert, on=trees.window)
    trees.settle()
    new = trees.desk.elements[trees.desk.selection]
    assert (new.surfaces[0].loss.tag(), new.area.value) == ("none", None)
    trees.key(Qt.Key.Key_Z, CTRL, on=trees.window)
    trees.settle()
    trees.click_cell(trees.named("Sheet of catchments"), 1, 0)
    trees.key(Qt.Key.Key_Insert, CTRL | SHIFT, on=trees.window)
    trees.settle()
    twin, old = trees.desk.elements[trees.desk.selection], trees.desk.elements[birch]
    assert trees.desk.selection != birch
    assert (twin.surfaces[0].loss.tag(), twin.area.value, twin.lag.value) == ("none", old.area.value, old.lag.value)
    assert trees.desk.network.downstream[trees.desk.selection] == trees.desk.network.downstream[birch]
    trees.key(Qt.Key.Key_Z, CTRL, on=trees.window)
    trees.settle()
    assert f"{birch}-1" not in trees.desk.elements


def test_a_reach_shows_its_inflow_in_place_of_rain_and_losses(hand):
    hand.bench(RUNOFF)
    hand.find("Mill Fold to Pellowford")
    hand.settle()
    told = hand.named("Rain and losses, or inflows").plot
    assert [curve.label for curve in told.curves] == ["inflow", "outflow"]
    assert "later" in told.title
    hand.find("hask")
    hand.settle()
    assert "loss" in hand.named("Rain and losses, or inflows").plot.title
    assert hand.named("Unit hydrograph, or rating").plot is not None
