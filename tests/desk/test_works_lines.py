"""Lines of planned works: drawn on the map, a ditch laid along one, a valley dammed along another."""

import pytest
from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QComboBox, QLineEdit, QPushButton
from tests.desk.conftest import CTRL, GROUND, WORKS, Hand

from tarnwater.desk.widgets.finder import Finder
from tarnwater.network.elements import Pond
from tarnwater.study import edits
from tarnwater.study.document.feature_lines import line_of
from tarnwater.study.edits.conditioning import terrain_of
from tarnwater.study.edits.impounding import crest_above
from tarnwater.study.edits.sections import section_across
from tarnwater.terrain.impoundment import Dam, impound
from tarnwater.terrain.laid_line import laid
from tarnwater.units import show


@pytest.fixture
def hand(qtbot, open_window, demo):
    """A person at the map of the demo, with a pond below the Hask."""
    study, blobs = demo
    return Hand(qtbot, open_window(edits.lead_through(study, "hask", Pond(name="Hask pond")), blobs, bench=GROUND))


def drawn(hand, *places):
    """Draw an alignment on the map, and wait."""
    canvas = hand.window.bench.canvas
    canvas.setFocus()
    hand.draw(canvas, Qt.Key.Key_A, *places)
    return list(hand.desk.study.ground_features)[-1]


def chosen(hand, name, words):
    """Choose an entry of a list by its first letters."""
    box = hand.named(name, QComboBox)
    box.setFocus()
    hand.write(words, on=box)
    hand.key(Qt.Key.Key_Return, on=box)
    hand.settle()


def test_a_ditch_laid_along_a_line_has_its_slope_and_profile_and_is_undone(hand):
    desk = hand.desk
    before = desk.study.terrain
    path = desk.file.blobs.shape(desk.study.elements["hask"].flow_path).coords
    key = drawn(hand, path[40][:2], path[80][:2])
    assert desk.study.ground_features[key].tag() == "alignment"
    assert "lay a ditch or a dam along it" in hand.window.message.text()
    # the ground is not conditioned again
    assert desk.study.terrain is before
    hand.bench(WORKS)
    hand.click(hand.named("Page: Channels", QPushButton))
    hand.answer_line("Hill ditch")
    hand.click(hand.named("Add a channel", QPushButton))
    hand.settle()
    hand.fill(hand.named("design flow", QLineEdit), "0.4 m3/s")
    hand.settle()
    without = desk.study
    chosen(hand, "along", "Alignment")
    page = hand.window.bench.channels
    works = page.works
    found = laid(desk.ground.drainage.grid, page.desk.file.blobs.shape(desk.study.ground_features[key].line).coords)
    assert works.laid.line == key
    assert works.slope.value == pytest.approx(found.fall / found.length, abs=2e-3 / found.length)
    # the mark of the ledger: derived, with its source as a hint
    mark = page.form._rows["slope mark"]
    assert mark.text() == "○"
    assert "the ground along its line" in mark.toolTip()
    assert page.profile.isVisible()
    assert {"ground", "banks", "water", "bed"} == {curve.label for curve in page.profile.plot.curves}
    hand.key(Qt.Key.Key_Z, CTRL, on=hand.window)
    hand.settle()
    assert desk.study.as_text() == without.as_text()
    assert not page.profile.isVisible()


def test_a_line_that_carries_a_ditch_is_not_removed_and_it_is_said_why(hand):
    desk = hand.desk
    path = desk.file.blobs.shape(desk.study.elements["hask"].flow_path).coords
    key = drawn(hand, path[40][:2], path[80][:2])
    hand.bench(WORKS)
    hand.click(hand.named("Page: Channels", QPushButton))
    hand.answer_line("Hill ditch")
    hand.click(hand.named("Add a channel", QPushButton))
    hand.settle()
    chosen(hand, "along", "Alignment")
    hand.bench(GROUND)
    ground = hand.window.bench
    hand.click(ground.changes_tab)
    view = ground.changes.view
    row = next(i for i, one in enumerate(ground.changes.model.rows) if one.key == key)
    hand.click_cell(view, row, 0)
    hand.key(Qt.Key.Key_Delete, on=view)
    hand.settle()
    assert "Hill ditch: it lies along a line that is not on the map" in hand.window.message.text()
    assert key in desk.study.ground_features


def test_a_valley_is_dammed_along_a_line_and_its_water_is_on_the_map(hand):
    desk = hand.desk
    reach = next(e for e in desk.study.elements.values() if e.name == "Hask to Mill Fold")
    across = section_across(desk.file.blobs, terrain_of(desk.study, desk.file.blobs), reach, 300.0, 0.5).line
    canvas = hand.window.bench.canvas
    assert canvas.scene.waters == {}
    drawn(hand, *[tuple(place) for place in across])
    hand.find("hask pond")
    hand.bench(WORKS)
    section = hand.window.bench.ponds.section
    section.setFocus()
    hand.key(Qt.Key.Key_A, on=section)
    finder = hand.dialog(Finder)
    # a plain number is in metres
    hand.answer_line("6")
    hand.write("dam along alignment", on=finder.line)
    hand.key(Qt.Key.Key_Return, on=finder.line)
    hand.settle()
    said = hand.window.message.text()
    (part,) = desk.study.elements["hask-pond"].storage
    assert (part.tag(), part.name) == ("stage-volume", "behind the dam")
    line = line_of(list(desk.study.ground_features.values())[-1], desk.file.blobs)
    ground = desk.ground.drainage
    found = impound(ground.grid, Dam(line, crest_above(ground, line, 6.0)), part.top)
    assert part.volumes[-1] == pytest.approx(found.volumes[-1], abs=0.1)
    assert f"{show(part.volumes[-1], 'volume')} are held below {show(part.top, 'height')}" in said
    assert f"the dam takes {show(found.earth, 'volume')}." in said
    hand.bench(GROUND)
    assert list(canvas.scene.waters) == ["hask-pond"]
    hand.key(Qt.Key.Key_Z, CTRL, on=hand.window)
    hand.settle()
    assert canvas.scene.waters == {}
