"""Pipes for several inlet areas at once, by mouse and keys."""

import pytest
from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QPushButton
from tests.desk.conftest import CTRL, WORKS, Hand

from tarnwater.desk.benches.works.inlet_dialog import InletDialog
from tarnwater.routing.works.culvert_design import full_flow


@pytest.fixture
def hand(qtbot, open_window, demo):
    """A person at the pipes and culverts of the demo."""
    person = Hand(qtbot, open_window(*demo, bench=WORKS))
    person.click(person.named("Page: Pipes and culverts", QPushButton))
    return person


def opened(hand):
    hand.click(hand.named("Pipes for inlet areas", QPushButton))
    return hand.dialog(InletDialog)


def test_ticked_catchments_get_pipes_as_one_act_that_is_undone(hand):
    before = hand.desk.study
    dialog = opened(hand)
    # all, and then none
    hand.key(Qt.Key.Key_A, CTRL, on=dialog.listed)
    assert "Sallow Head: no pipe that is made carries" in dialog.told.text()
    hand.key(Qt.Key.Key_A, CTRL, on=dialog.listed)
    assert "no inlet area is chosen" in dialog.told.text()
    assert not dialog.take.isEnabled()
    names = [area.name for area in dialog.areas]
    for name in ("Hill field", "Coldgarth yard"):
        dialog.listed.setFocus()
        hand.key(Qt.Key.Key_Home, on=dialog.listed)
        for _ in range(names.index(name)):
            hand.key(Qt.Key.Key_Down, on=dialog.listed)
        hand.key(Qt.Key.Key_Space, on=dialog.listed)
    hand.fill(dialog.slope, "2 %")
    hand.fill(dialog.length, "20 m")
    assert len(dialog.pipes) == 2
    told = [dialog.rows.item(row, 0).text() for row in range(dialog.rows.rowCount())]
    assert sorted(told) == ["Coldgarth yard", "Hill field"]
    heads = [dialog.rows.item(row, 5).text() for row in range(2)]
    hand.click(dialog.take)
    hand.settle()
    added = [w for w in hand.desk.study.culverts.values() if w.name.startswith("Pipe of ")]
    rows = {row.works.name: row for row in hand.window.bench.culverts.rows}
    for works in added:
        row = rows[works.name]
        assert works.barrel.bottom == pytest.approx(0.4)
        assert row.full == full_flow(works.barrel) >= row.carried.flow
    assert len(added) == 2
    found = [rows[w.name].check.level - w.barrel.bottom for w in added]
    assert [float(text.split()[0]) for text in heads] == pytest.approx(found, abs=1e-3)
    hand.key(Qt.Key.Key_Z, CTRL, on=hand.window)
    hand.settle()
    assert hand.desk.study.as_text() == before.as_text()


def test_a_slope_of_nothing_and_a_size_that_is_none_say_so_and_keep_what_was_typed(hand):
    dialog = opened(hand)
    hand.fill(dialog.slope, "0 %")
    assert "a pipe has a slope above zero" in dialog.told.text()
    assert dialog.slope.text() == "0 %"
    hand.fill(dialog.slope, "1 %")
    hand.fill(dialog.sizes, "wide")
    assert "wide" in dialog.told.text()
    assert dialog.sizes.text() == "wide"
    assert not dialog.take.isEnabled()
    hand.fill(dialog.sizes, "5 mm")
    assert "no pipe that is made carries" in dialog.told.text()


def test_in_us_units_sizes_are_inches(hand):
    hand.find("us customary units")
    hand.settle()
    dialog = opened(hand)
    assert dialog.sizes.text().startswith("6 in, 8 in")
    assert dialog.length.text() == "100 ft"
