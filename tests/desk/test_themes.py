"""Catchments coloured by a parameter or a figure."""

import pytest
from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QComboBox

from tarnwater.desk.benches.ground.themes import QUANTITIES
from tarnwater.study.pictures.themes import classes_of

from .conftest import GROUND, Hand


def test_classes_have_round_limits_that_hold_every_value():
    found = classes_of({"a": 1.3, "b": 9.7, "c": 4.0}, "peak", "m³/s")
    assert found.limits == pytest.approx((0, 2, 4, 6, 8, 10))
    assert [found.of(v) for v in (1.3, 4.0, 9.7, 10.0)] == [0, 2, 4, 4]
    assert [words for _, words in found.rows] == ["8.00 to 10.0", "6.00 to 8.00", "4.00 to 6.00", "2.00 to 4.00",
                                                  "0 to 2.00"]  # fmt: skip


def test_zero_and_missing_are_apart_from_the_classes():
    found = classes_of({"a": 0.0, "b": None, "c": 3.0, "d": float("nan")}, "peak", "m³/s")
    assert (found.of(0.0), found.of(None), found.of(float("nan"))) == (-1, None, None)
    assert [words for _, words in found.rows][-2:] == ["zero", "missing"]
    assert found.limits[0] <= 3.0 <= found.limits[-1]


@pytest.mark.parametrize("values", [{}, {"a": None}, {"a": 0.0}, {"a": 5.0}, {"a": -2.0, "b": 1.0}, {"a": 1e-9}])
def test_odd_values_make_classes_too(values):
    found = classes_of(values, "peak", "m³/s")
    assert len(found.limits) >= 2
    assert list(found.limits) == sorted(found.limits)
    for value in values.values():
        number = found.of(value)
        assert number is None or -1 <= number < len(found.limits) - 1


def coloured(hand, ground, words):
    chooser = hand.named("What colours the catchments", QComboBox)
    chooser.setFocus()
    goal = chooser.findText(words)
    while chooser.currentIndex() != goal:
        hand.key(Qt.Key.Key_Down if goal > chooser.currentIndex() else Qt.Key.Key_Up, on=chooser)
    hand.settle()
    return ground.canvas.themes


def test_a_theme_is_chosen_seen_and_follows_edits(hand):
    ground = hand.bench(GROUND)
    canvas = ground.canvas
    hand.find("wimmer")
    hand.click(hand.named("Show the layers of the map"))
    at = hand.pixel(canvas, hand.desk.study.elements["hask"].place)
    at.setY(at.y() + 26)
    plain = canvas.grab().toImage().pixelColor(at)
    themes = coloured(hand, ground, "curve number")
    assert canvas.grab().toImage().pixelColor(at) != plain
    assert ground.theme_legend.isVisible()
    assert themes.classes.words == "curve number"
    before, hask = themes.of["hask"], hand.desk.study.catchments["hask"]
    hand.desk.type_values([("hask", f"surfaces/{i}/loss/curve_number", 98.0) for i in range(len(hask.surfaces))])
    hand.settle()
    assert themes.of["hask"] == len(themes.classes.limits) - 2 != before
    coloured(hand, ground, "not coloured")
    assert not ground.theme_legend.isVisible()


def test_every_quantity_has_values_on_the_demo(hand):
    ground = hand.bench(GROUND)
    for quantity in QUANTITIES:
        ground.canvas.themes.choose(quantity.key)
        known = [number for number in ground.canvas.themes.of.values() if number is not None]
        assert len(known) >= 6, quantity.words


def test_catchments_without_a_value_are_missing(qtbot, open_window, rained_on):
    hand = Hand(qtbot, open_window(rained_on))
    ground = hand.bench(GROUND)
    hand.key(Qt.Key.Key_Insert, on=hand.window)
    hand.settle()
    ground.canvas.themes.choose("relief")
    assert set(ground.canvas.themes.of.values()) == {None}
    assert ground.canvas.themes.classes.rows[-1][1] == "missing"
