"""The work of a hydrologist from nothing to an answer, by mouse and keys, its acts counted.

An act is a click, a key with those held with it, or a typed word.
"""

import numpy as np
import pytest
from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtWidgets import QApplication, QComboBox, QFileDialog, QInputDialog

from tarnwater.desk import opening
from tarnwater.desk.benches.ground.import_terrain import ImportTerrain
from tarnwater.desk.dialogs.limits import Limits
from tarnwater.desk.dialogs.named_points import NamedPoints
from tarnwater.desk.widgets.finder import Finder
from tarnwater.formats.raster import grid_to_bytes
from tarnwater.terrain.grid import Grid
from tarnwater.units import rounded

from .conftest import CTRL, SHIFT, Hand
from .test_first_study import TABLE

NONE = Qt.KeyboardModifier.NoModifier


class Person:
    """Does one act at a time wherever the keys are, and counts them."""

    def __init__(self, qtbot, window):
        self.hand, self.bot, self.acts = Hand(qtbot, window), qtbot, 0

    @property
    def window(self):
        return self.hand.window

    @property
    def desk(self):
        return self.hand.desk

    def press(self, *keys, held=NONE):
        """Press keys one after another, where the keys are."""
        for key in keys:
            self.acts += 1
            there = QApplication.activeModalWidget()
            # a shortcut is sought from the widget that has the keys up to its window
            self.hand.key(key, held, on=QApplication.focusWidget() or there or self.window)
            self.bot.wait(20)
        self.hand.settle()

    def type(self, text):
        """Type words where the keys are."""
        self.acts += len(text.split())
        self.hand.write(text)

    def click(self, widget, at=None):
        """Click a widget at a place."""
        self.acts += 1
        self.hand.click(widget, at)
        self.hand.settle()

    def answer(self, kind, text, then=Qt.Key.Key_Return):
        """Type into the dialog of a kind that opens next, and end it by a key."""
        self.acts += len(text.split()) + 1
        if kind is QFileDialog:
            self.hand.answer_file(text)
        else:
            self.hand.answer_line(text, kind=kind, then=then)

    def find(self, letters):
        """Find by letters, and choose the first."""
        self.press(Qt.Key.Key_K, held=CTRL)
        finder = self.hand.dialog(Finder)
        self.acts += len(letters.split()) + 1
        self.hand.write(letters, on=finder.line)
        self.hand.key(Qt.Key.Key_Return, on=finder.line)
        self.hand.settle()


@pytest.fixture
def begun(qtbot, empty, tmp_path):
    """A person at the window of a study of their own, begun with Ctrl+N: three acts."""
    empty.answer_file(tmp_path / "hask-bridge")
    empty.key(Qt.Key.Key_N, CTRL, on=empty.window)
    qtbot.waitUntil(lambda: bool(opening.WINDOWS), timeout=5_000)
    person = Person(qtbot, opening.WINDOWS[-1])
    person.acts = 3
    person.hand.settle()
    yield person
    person.window.close()
    qtbot.wait(20)


def choose_in(person, box, words):
    """Open a box by a click and choose an entry by another."""
    person.window.ledger._scroll.ensureWidgetVisible(box)
    person.click(box)
    # a list that has just opened takes no click yet
    person.bot.wait(QApplication.doubleClickInterval() + 50)
    entries = box.view()
    place = entries.visualRect(box.model().index(box.findText(words), 0)).center()
    person.click(entries.viewport(), place)


def first_catchment(person):
    """Rain by a pasted table, and a catchment of three numbers."""
    QApplication.clipboard().setText(TABLE)
    person.press(Qt.Key.Key_2, Qt.Key.Key_V, Qt.Key.Key_3, held=CTRL)
    person.press(Qt.Key.Key_Insert)
    person.answer(QInputDialog, "Hask")
    person.press(Qt.Key.Key_F2)
    for number, key in (("3", Qt.Key.Key_Tab), ("75", Qt.Key.Key_Tab), ("45", Qt.Key.Key_Return)):
        person.type(number)
        person.press(key)


def test_the_first_study_takes_no_more_than_thirty_acts(begun):
    person, desk = begun, begun.desk
    first_catchment(person)
    hask = desk.study.elements["hask"] if "hask" in desk.study.elements else desk.study.elements[desk.selection]
    assert (hask.name, hask.area.value, hask.curve_number, hask.lag.value) == ("Hask", 3e6, 75.0, 2700.0)
    sheet = person.window.bench.sheet
    peak = next(n for n, one in enumerate(sheet.model().columns) if one.title == "peak")
    person.click(sheet.viewport(), sheet.visualRect(sheet.model().index(0, peak)).center())
    person.press(Qt.Key.Key_F1)
    assert person.window.ledger.answer is not None
    person.press(Qt.Key.Key_5, held=CTRL)
    person.press(Qt.Key.Key_Return)
    peak = desk.results.answers()[-1].figures.peak.ordinate
    assert rounded(peak) == "9.570"
    person.press(Qt.Key.Key_P, held=CTRL)
    person.find("lag hask")
    person.type("30")
    person.press(Qt.Key.Key_Return)
    assert desk.results.answers()[-1].figures.peak.ordinate > peak
    person.press(Qt.Key.Key_S, held=CTRL)
    person.hand.dialog(NamedPoints)
    person.type("quick")
    person.press(Qt.Key.Key_Return)
    assert "quick" in desk.file.history.points
    assert person.acts <= 30


def test_a_developed_condition_with_its_limits_takes_no_more_than_thirty_five_acts(begun):
    person, desk = begun, begun.desk
    first_catchment(person)
    person.acts = 0
    # a condition, and what is changed in it
    person.answer(QInputDialog, "developed")
    person.press(Qt.Key.Key_N, held=CTRL | SHIFT)
    assert desk.edits_in == "developed"
    sheet = person.window.bench.sheet
    person.click(sheet.viewport(), sheet.visualRect(sheet.model().index(0, 1)).center())
    person.type("85")
    person.press(Qt.Key.Key_Return)
    # what is added in it
    person.press(Qt.Key.Key_Insert)
    person.answer(QInputDialog, "Yard")
    person.press(Qt.Key.Key_F2)
    for number, key in (("0.5", Qt.Key.Key_Tab), ("92", Qt.Key.Key_Tab), ("15", Qt.Key.Key_Return)):
        person.type(number)
        person.press(key)
    yard = desk.elements["yard"] if "yard" in desk.elements else desk.elements[desk.selection]
    assert (yard.name, yard.area.value, yard.curve_number, yard.lag.value) == ("Yard", 5e5, 92.0, 900.0)
    # what may not be exceeded at the outfall
    person.find("outfall")
    person.press(Qt.Key.Key_M, held=CTRL)
    person.hand.dialog(Limits)
    for key in (Qt.Key.Key_Tab, Qt.Key.Key_Tab, Qt.Key.Key_Return):
        person.type("existing")
        person.press(key)
    person.press(Qt.Key.Key_5, held=CTRL)
    results = desk.results
    assert set(desk.study.elements) == {"outfall", next(k for k, e in desk.study.elements.items() if e.name == "Hask")}
    for period in (2.0, 10.0, 100.0):
        before, after = (results.answer(c, "outfall", period) for c in desk.study.conditions)
        assert after.limit == before.figures.peak.ordinate < after.figures.peak.ordinate
        assert after.verdict.state == "exceeded"
        assert before.verdict is None
    assert person.acts <= 35


@pytest.fixture
def valley(tmp_path):
    """A terrain of 0.9 million cells of 5 m: two valleys that meet, the land falling to the south."""
    rows, columns = np.mgrid[0:900, 0:1000]
    middle = np.where(rows < 500, np.where(columns < 500, 250 + rows // 2, 750 - rows // 2), 500)
    heights = (400 - rows * 0.2 + np.abs(columns - middle) * 0.4).astype(np.float32)
    path = tmp_path / "valley.tif"
    path.write_bytes(grid_to_bytes(Grid(heights, 400_000.0, 600_000.0, 5.0, 5.0, "EPSG:27700")))
    return path


def test_a_terrain_to_peaks_at_four_outlets_takes_no_more_than_fifty_acts(begun, valley):
    person, desk = begun, begun.desk
    person.hand.answer_file(valley)
    person.acts += 2
    person.press(Qt.Key.Key_T, held=CTRL)
    person.hand.bot.waitUntil(lambda: bool(person.hand.dialogs(ImportTerrain)), timeout=5_000)
    asked = person.hand.dialog(ImportTerrain)
    person.hand.bot.waitUntil(asked.take.isEnabled, timeout=20_000)
    person.press(Qt.Key.Key_Return)
    assert desk.study.terrain is not None
    canvas = person.window.bench.canvas
    for row, column in ((300, 400), (300, 600), (470, 485), (880, 500)):
        if canvas.hand.tool != "outlet":
            person.press(Qt.Key.Key_O)
        x, y = canvas.view.pixel(400_000.0 + 5 * (column + 0.5), 600_000.0 - 5 * (row + 0.5))
        person.click(canvas, QPoint(round(x), round(y)))
    assert len(desk.study.outlets) == 4
    QApplication.clipboard().setText(TABLE)
    person.press(Qt.Key.Key_2, Qt.Key.Key_V, Qt.Key.Key_3, held=CTRL)
    bench = person.window.bench
    for sheet, column, number in ((bench.sheet, 1, "75"), (bench.reach_sheet, 2, "1.5")):
        person.click(sheet.viewport(), sheet.visualRect(sheet.model().index(0, column)).center())
        person.type(number)
        person.press(Qt.Key.Key_Return, Qt.Key.Key_Up)
        person.press(Qt.Key.Key_D, held=CTRL | SHIFT)
    assert {c.curve_number for c in desk.study.catchments.values()} == {75.0}
    # lags by one method for all of them
    person.click(bench.sheet.viewport(), bench.sheet.visualRect(bench.sheet.model().index(0, 1)).center())
    person.press(Qt.Key.Key_A, held=CTRL)
    box = person.hand.named(f"timing of {desk.study.name_of(desk.selection)}", QComboBox)
    choose_in(person, box, "NRCS lag equation")
    assert {c.timing.title for c in desk.study.catchments.values()} == {"NRCS lag equation"}
    assert desk.file.history.past[-1].label == "choose timing of 4 elements"
    person.press(Qt.Key.Key_5, held=CTRL)
    person.click(person.window.bench.elements_button)
    peaks = {row[0]: row for row in person.window.bench.elements.model().rows}
    case = desk.case_in_view()
    for outlet in desk.study.outlets.values():
        assert case.peak(desk.study.key_of(f"{outlet.name} outlet")).ordinate > 0
        assert f"{outlet.name} outlet" in peaks
    assert person.acts <= 50
