"""Two methods compared on one storm, by mouse and keys: drawn over each other, typed, taken, undone."""

import pytest
from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QLineEdit

from tarnwater.desk.benches.runoff.methods_dialog import MethodsDialog
from tarnwater.runoff.losses import InitialConstant
from tarnwater.runoff.transforms import Cascade, NrcsUnitHydrograph
from tarnwater.study.document.conditions import resolve

from .conftest import CTRL, SHIFT

HILL = "hill-field"


@pytest.fixture
def dialog(hand):
    """The comparison of the hill field of the demo, opened by its key."""
    hand.find("hill field")
    hand.settle()
    hand.key(Qt.Key.Key_K, CTRL | SHIFT, on=hand.window)
    opened = hand.dialog(MethodsDialog)
    hand.settle()
    return opened


def choose(hand, box, words):
    """Walk a choice by arrows to the entry that begins with some words."""
    place = next(n for n in range(box.count()) if box.itemText(n).startswith(words))
    box.setFocus()
    for _ in range(abs(place - box.currentIndex())):
        hand.key(Qt.Key.Key_Down if place > box.currentIndex() else Qt.Key.Key_Up, on=box)
    hand.bot.wait(200)
    hand.settle()


def field(dialog, name):
    return next(one for one in dialog.findChildren(QLineEdit) if one.accessibleName() == f"{name} of the other method")


def type_over(hand, line, text):
    line.setFocus()
    hand.key(Qt.Key.Key_A, CTRL, on=line)
    hand.write(text, on=line)
    hand.bot.wait(250)
    hand.settle()


def test_two_transforms_are_drawn_with_their_difference_and_nothing_changes(hand, dialog):
    before = hand.desk.study
    choose(hand, dialog.what, "transform")
    choose(hand, dialog.instead, "cascade")
    plot = dialog.plot.plot
    assert [curve.label for curve in plot.curves] == [
        "NRCS dimensionless unit hydrograph",
        "cascade of linear reservoirs",
    ]
    case = hand.desk.case_showing(HILL)
    assert plot.marks[0].y == pytest.approx(case.peak(HILL).ordinate * (1000 if "L/s" in plot.y.unit else 1))
    assert plot.marks[1].y < plot.marks[0].y
    assert "→" in plot.title
    assert "−" in plot.title
    hand.key(Qt.Key.Key_Escape, on=dialog)
    assert hand.desk.study == before


def test_the_other_method_follows_what_is_typed_and_is_taken_as_one_act(hand, dialog):
    choose(hand, dialog.what, "transform")
    choose(hand, dialog.instead, "cascade")
    three = dialog.plot.plot.marks[1].y
    type_over(hand, field(dialog, "number of reservoirs"), "6")
    six = dialog.plot.plot.marks[1].y
    assert six != three
    hand.click(dialog.take)
    hand.settle()
    taken = hand.desk.study.elements[HILL].transform
    assert isinstance(taken, Cascade)
    assert taken.count == 6
    # what was shown is what the study then has
    peak = hand.desk.case_showing(HILL).peak(HILL).ordinate
    assert peak * (1000 if six > 10 * peak else 1) == pytest.approx(six, rel=1e-12)
    hand.key(Qt.Key.Key_Z, CTRL, on=hand.window)
    hand.settle()
    assert isinstance(hand.desk.study.elements[HILL].transform, NrcsUnitHydrograph)


def test_what_is_not_typed_over_stays_to_the_last_digit(hand, dialog):
    from tarnwater.runoff.transforms import TriangularUnitHydrograph

    choose(hand, dialog.what, "transform")
    choose(hand, dialog.instead, "triangular")
    # 8/3 is shown to four digits
    assert field(dialog, "base ratio").text() == "2.667"
    hand.click(dialog.take)
    hand.settle()
    assert hand.desk.study.elements[HILL].transform.base_ratio == TriangularUnitHydrograph().base_ratio == 8 / 3


def test_a_value_that_is_required_is_asked_for_and_one_that_is_refused_is_told(hand, dialog):
    choose(hand, dialog.instead, "initial and constant")
    assert not dialog.take.isEnabled()
    assert dialog.told.text()
    type_over(hand, field(dialog, "initial loss"), "10 mm")
    type_over(hand, field(dialog, "constant loss"), "-1")
    assert "constant" in dialog.told.text()
    assert not dialog.take.isEnabled()
    type_over(hand, field(dialog, "constant loss"), "2 mm/h")
    assert dialog.take.isEnabled()
    assert len(dialog.plot.plot.curves) == 2


def test_in_one_condition_the_method_is_taken_there_only(hand):
    hand.find("hill field")
    hand.key(Qt.Key.Key_F6, on=hand.window)
    hand.settle()
    hand.key(Qt.Key.Key_K, CTRL | SHIFT, on=hand.window)
    dialog = hand.dialog(MethodsDialog)
    choose(hand, dialog.instead, "initial and constant")
    type_over(hand, field(dialog, "initial loss"), "10 mm")
    type_over(hand, field(dialog, "constant loss"), "2 mm/h")
    hand.click(dialog.take)
    hand.settle()
    here = resolve(hand.desk.study, hand.desk.condition).elements[HILL]
    assert isinstance(here.surfaces[0].loss, InitialConstant)
    assert not isinstance(hand.desk.study.elements[HILL].surfaces[0].loss, InitialConstant)


def test_a_reach_is_compared_too_and_an_outfall_has_nothing_to_compare(hand):
    hand.find("old ditch")
    hand.settle()
    hand.click(hand.window.bench.methods)
    dialog = hand.dialog(MethodsDialog)
    choose(hand, dialog.instead, "pure lag")
    assert len(dialog.plot.plot.curves) == 2
    hand.key(Qt.Key.Key_Escape, on=dialog)
    hand.settle()
    hand.find("pellowford bridge")
    hand.settle()
    assert not hand.window.bench.methods.isVisible()
    hand.key(Qt.Key.Key_K, CTRL | SHIFT, on=hand.window)
    dialog = hand.dialog(MethodsDialog)
    assert "no method" in dialog.told.text()
    assert not dialog.take.isEnabled()
    hand.key(Qt.Key.Key_Escape, on=dialog)


def test_a_unit_hydrograph_is_derived_from_a_pasted_event_taken_and_averaged(hand):
    from PyQt6.QtWidgets import QApplication

    from tarnwater.desk.benches.runoff.event_dialog import EventDialog
    from tarnwater.runoff.transforms import TypedUnitHydrograph

    hand.find("wimmer")
    hand.settle()
    hand.key(Qt.Key.Key_U, CTRL | SHIFT, on=hand.window)
    dialog = hand.dialog(EventDialog)
    assert not dialog.take.isEnabled()
    flood = "0\t0.3\n8\t1\n14\t3\n4\t5.5\n\t4.5\n\t2.5\n\t1.3\n\t0.7\n\t0.3"
    # more runs off than falls, where the unit of the flow is another
    QApplication.clipboard().setText(flood.replace("5.5", "5500"))
    hand.key(Qt.Key.Key_V, CTRL, on=dialog.text)
    assert "ran off, but" in dialog.told.text()
    hand.key(Qt.Key.Key_A, CTRL, on=dialog.text)
    QApplication.clipboard().setText(flood)
    hand.key(Qt.Key.Key_V, CTRL, on=dialog.text)
    assert dialog.take.isEnabled(), dialog.told.text()
    assert [c.label for c in dialog.unit.plot.curves] == ["forward division", "non-negative least squares"]
    assert [c.label for c in dialog.flood.plot.curves] == ["direct flow", "rebuilt"]
    hand.click(dialog.take)
    hand.settle()
    taken = hand.desk.study.elements["wimmer"].transform
    assert isinstance(taken, TypedUnitHydrograph)
    assert taken.own_area == pytest.approx(hand.desk.elements["wimmer"].area.value, rel=1e-9)
    assert hand.desk.case_showing("wimmer") is not None
    hand.key(Qt.Key.Key_U, CTRL | SHIFT, on=hand.window)
    dialog = hand.dialog(EventDialog)
    QApplication.clipboard().setText(flood.replace("14\t3", "14\t3.8"))
    hand.key(Qt.Key.Key_V, CTRL, on=dialog.text)
    dialog.mean.setFocus()
    hand.key(Qt.Key.Key_Space, on=dialog.mean)
    hand.click(dialog.take)
    hand.settle()
    mean = hand.desk.study.elements["wimmer"].transform
    assert mean != taken
    assert mean.own_area == pytest.approx(taken.own_area, rel=1e-6)
