"""The second study of the README: from the yard with its limits to a pond, its outlet and its ditch."""

import pytest
from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtWidgets import QCheckBox, QComboBox, QPushButton
from tests.desk.conftest import CTRL, WORKS, Hand

from tarnwater.desk.benches.works.outlet_dialog import OutletDialog
from tarnwater.desk.widgets.finder import Finder
from tarnwater.study.answers.pond_events import pond_events
from tarnwater.study.answers.requirements import requirements

#: Clicks, key chords and typed words that the study may take.
MOST_ACTS = 30


class Counting(Hand):
    """A person whose acts are counted: a click, a key chord, a typed word each."""

    acts = 0

    def click(self, *args, **kwargs):
        self.acts += 1
        super().click(*args, **kwargs)

    def key(self, *args, **kwargs):
        self.acts += 1
        super().key(*args, **kwargs)

    def word(self, text, on):
        self.acts += 1
        self.write(text, on=on)

    def look_up(self, words):
        """Ctrl+K, words, Enter."""
        self.key(Qt.Key.Key_K, CTRL, on=self.window)
        finder = self.dialog(Finder)
        self.word(words, finder.line)
        self.key(Qt.Key.Key_Return, on=finder.line)
        self.settle()

    def take(self, words):
        """Words and Enter in the finder that is open."""
        finder = self.dialog(Finder)
        self.word(words, finder.line)
        self.key(Qt.Key.Key_Return, on=finder.line)
        self.settle()


def test_the_yards_pond_keeps_its_limits_and_its_ditch_does_not_scour_in_thirty_acts(qtbot, open_window, demo):
    person = Counting(qtbot, open_window(*demo))
    desk, window = person.desk, person.window
    person.look_up("yard surfaced")
    assert desk.condition == "yard-surfaced"
    person.look_up("coldgarth yard")
    person.key(Qt.Key.Key_4, CTRL, on=window)
    page = window.bench.ponds
    person.click(person.named("Put a pond below Coldgarth yard", QPushButton))
    person.settle()
    person.click(person.named("Add storage", QPushButton))
    person.take("frustum")
    section = page.section
    # R draws the riser: on the wall, from its foot to its crest
    person.key(Qt.Key.Key_R, on=section)
    wall = section.section.wall
    low, high = section.pixel((wall[0] + 0.3, 0.1)).toPoint(), section.pixel((wall[0] + 1.5, 1.5)).toPoint()
    person.acts += 1
    person.drag(section, low, high)
    person.settle()
    person.key(Qt.Key.Key_O, on=section)
    asked = person.dialog(OutletDialog)
    tick = asked.findChild(QCheckBox)
    # the box of the tick is at its left end
    person.click(tick, QPoint(8, tick.height() // 2))
    person.click(asked.search)
    person.settle(120_000)
    assert "All limits are kept" in asked.told.text()
    person.click(asked.take)
    person.settle()
    person.click(person.named("Required (table)", QPushButton))
    key = desk.selection
    events = [one for one in pond_events(desk.results, key) if one.condition == "yard-surfaced"]
    assert [one.event for one in events if one.limit is not None] == [2.0, 10.0, 100.0]
    found = requirements(desk.results, key, events)
    assert all(one.kept for one in found), [(o.words, o.asked, o.found) for o in found if not o.kept]
    assert any("1 in 200" in one.words for one in found)
    assert all(row[-1] == "kept" for row in page.required.texts.table.rows)

    person.look_up("hill field")
    person.click(person.named("Page: Channels", QPushButton))
    person.answer_line("Ditch round the yard")
    person.acts += 2
    person.click(person.named("Add a channel", QPushButton))
    person.settle()
    ground = person.named("ground", QComboBox)
    ground.setFocus()
    person.word("Stiff", ground)
    person.key(Qt.Key.Key_Return, on=ground)
    person.settle()
    person.click(window.bench.channels.solving)
    person.settle()
    row = window.bench.channels.row
    assert row.name == "Ditch round the yard"
    assert row.verdict == "fits", window.bench.channels.told.text()
    assert row.bare.uniform.velocity <= row.bare.allowed * (1 + 1e-9)
    assert row.carried.flow == pytest.approx(
        max(c.peak("hill-field").ordinate for c in desk.results.cases
            if c.standing == "counted" and "hill-field" in c.network.elements)
    )  # fmt: skip
    assert person.acts <= MOST_ACTS, person.acts
    assert window.bench is window.benches[WORKS]
