"""A method that the window has never met is chosen in the ledger, by mouse and by keys, and nothing half-chosen."""

import pytest
from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QApplication, QComboBox
from tests.strangers import elements, methods
from tests.strangers.test_elements import land

from tarnwater.desk.widgets.finder import Finder
from tarnwater.network.elements import Element, Outfall
from tarnwater.rain.depth_table import DepthTable
from tarnwater.rain.storms import StormFamily
from tarnwater.study import edits
from tarnwater.study.document import Study

from .conftest import CASES, CTRL, GROUND, RUNOFF, SHIFT, Hand
from .test_mends import answer_line


@pytest.fixture(autouse=True)
def strangers(monkeypatch):
    for one in methods.ALL:
        monkeypatch.setitem(methods.kind_among(one).known, one.tag(), one)


def the_box(hand, name):
    hand.find("hill field")
    box = hand.named(name, QComboBox)
    hand.window.ledger._scroll.ensureWidgetVisible(box)
    return box


def choose_by_mouse(hand, box, words, answer):
    """Open a box and click an entry; ``answer`` is called just before, so that it meets the question."""
    hand.click(box)
    # a list that has just opened takes no click yet
    hand.bot.wait(QApplication.doubleClickInterval() + 50)
    place = box.view().visualRect(box.model().index(box.findText(words), 0)).center()
    answer()
    hand.click(box.view().viewport(), place)
    hand.settle()


def test_a_stranger_is_chosen_by_mouse_and_what_it_needs_is_asked_first(hand):
    box = the_box(hand, "method of Hill field")
    choose_by_mouse(hand, box, "sponge", lambda: answer_line(hand, "40 %"))
    loss = hand.desk.study.elements["hill-field"].surfaces[0].loss
    assert (loss.tag(), loss.share) == ("sponge", 0.4)
    assert hand.desk.file.history.past[-1].label == "choose loss of Hill field"
    hand.fill(hand.named("room of Hill field"), "12")
    hand.settle()
    assert hand.desk.study.elements["hill-field"].surfaces[0].loss.room.value == 12.0
    hand.key(Qt.Key.Key_Z, CTRL, on=hand.window)
    hand.key(Qt.Key.Key_Z, CTRL, on=hand.window)
    assert hand.desk.study.elements["hill-field"].surfaces[0].loss.tag() == "curve-number"


def test_a_stranger_is_chosen_by_keys(hand):
    box = the_box(hand, "timing of Hill field")
    box.setFocus()
    hand.key(Qt.Key.Key_Down, Qt.KeyboardModifier.AltModifier, on=box)
    hand.bot.waitUntil(box.view().isVisible)
    for _ in range(box.count()):
        if box.view().currentIndex().data() != "walk":
            hand.key(Qt.Key.Key_Down, on=box.view())
    answer_line(hand, "2")
    hand.key(Qt.Key.Key_Return, on=box.view())
    hand.settle()
    assert hand.desk.study.elements["hill-field"].timing == methods.Walk(speed=2.0)


@pytest.mark.parametrize("text", ["", "200", "soon"], ids=["nothing", "out of its range", "no number"])
def test_nothing_is_half_chosen(hand, text):
    before = hand.desk.study
    box = the_box(hand, "method of Hill field")
    then = Qt.Key.Key_Return if text else Qt.Key.Key_Escape
    choose_by_mouse(hand, box, "sponge", lambda: hand.answer_line(text, then=then))
    assert hand.desk.study is before
    assert box.currentText() == "curve number"


def test_an_element_of_two_ways_is_at_home_in_the_window(qtbot, open_window, monkeypatch):
    for one in elements.ALL:
        monkeypatch.setitem(Element.known, one.tag(), one)
    made = edits.add_element(Study(title="Ways"), land())
    for element in (elements.Fork(name="Fork", share=0.3), Outfall(name="Mill"), Outfall(name="Sea")):
        made = edits.add_element(made, element)
    for up, down in (("hask", "fork"), ("fork", "mill"), ("fork", "sea")):
        made = edits.connect(made, up, down)
    table = DepthTable(durations=(3600.0, 21600.0), return_periods=(100.0,), depths=((43.0,), (88.0,)))
    family = StormFamily(table="t", return_periods=(100.0,), durations=(3600.0, 21600.0))
    hand = Hand(qtbot, open_window(edits.set_family(edits.set_table(made, "t", table), "f", family)))
    hand.find("fork")
    for bench in (GROUND, RUNOFF, CASES):
        hand.bench(bench)
        hand.settle()
        assert not hand.window.grab().isNull()

    def peaks():
        return {answer.result.case.point: answer.figures.peak.ordinate for answer in hand.desk.results.answers()}

    whole = sum(peaks().values())
    assert peaks()["mill"] == pytest.approx(0.3 * whole, rel=1e-12)
    hand.find("fork")
    hand.fill(hand.named("share of Fork"), "40 %")
    hand.settle()
    assert hand.desk.study.elements["fork"].share == 0.4
    assert peaks()["mill"] == pytest.approx(0.4 * whole, rel=1e-12)
    hand.key(Qt.Key.Key_Z, CTRL, on=hand.window)
    hand.settle()
    assert peaks()["mill"] == pytest.approx(0.3 * whole, rel=1e-12)


def test_a_column_of_a_stranger_is_pasted_and_filled(hand):
    everyone = hand.desk.study.catchments
    hand.bench(RUNOFF)
    sheet = hand.window.bench.sheet
    model = sheet.model()
    assert "kept" not in [column.title for column in model.columns]
    hand.click_cell(sheet, model.keys.index("hill-field"), 0)
    hand.key(Qt.Key.Key_A, CTRL, on=sheet)
    box = hand.named("method of Hill field", QComboBox)
    hand.window.ledger._scroll.ensureWidgetVisible(box)
    choose_by_mouse(hand, box, "sponge", lambda: answer_line(hand, "40 %"))
    hand.settle()
    titles = [column.title for column in model.columns]
    column = titles.index("kept")
    rows = [row for row, key in enumerate(model.keys) if model.path(key, column)]
    # all but the yard, whose surfaces have one each
    assert len(rows) == 7

    def shares():
        elements = hand.desk.study.elements
        return [elements[model.keys[row]].surfaces[0].loss.share for row in rows]

    assert shares() == [0.4] * 7
    hand.click_cell(sheet, rows[0], column)
    QApplication.clipboard().setText("10\n20")
    hand.key(Qt.Key.Key_V, CTRL, on=sheet)
    hand.settle()
    assert shares() == pytest.approx([0.1, 0.2, *[0.4] * 5])
    hand.click_cell(sheet, rows[0], column)
    hand.key(Qt.Key.Key_D, CTRL | SHIFT, on=sheet)
    hand.settle()
    assert shares() == pytest.approx([0.1] * 7)
    hand.key(Qt.Key.Key_Z, CTRL, on=hand.window)
    hand.settle()
    assert shares() == pytest.approx([0.1, 0.2, *[0.4] * 5])
    assert set(everyone) == set(hand.desk.study.catchments)


@pytest.fixture
def any_kind(monkeypatch):
    for one in elements.ALL:
        monkeypatch.setitem(Element.known, one.tag(), one)


def add_of_kind(hand, kind):
    hand.key(Qt.Key.Key_Insert, Qt.KeyboardModifier.AltModifier, on=hand.window)
    finder = hand.dialog(Finder)
    hand.write(kind, on=finder.line)
    hand.key(Qt.Key.Key_Return, on=finder.line)
    hand.settle()
    hand.back()


def test_an_element_of_any_kind_is_added_by_keys_and_what_it_needs_is_asked_first(hand, any_kind):
    answer_line(hand, "30 %")
    add_of_kind(hand, "fork")
    assert hand.desk.selection == "fork-1"
    assert hand.desk.study.elements["fork-1"] == elements.Fork(name="Fork 1", share=0.3)
    assert ("fork-1", "pellowford-outlet") in {(link.up, link.down) for link in hand.desk.study.links.values()}
    hand.key(Qt.Key.Key_Z, CTRL, on=hand.window)
    assert "fork-1" not in hand.desk.study.elements


def test_an_inflow_is_added_with_its_lists(hand):
    hand.answer_line("0 h, 1 h, 5 h", "0, 3, 0")
    add_of_kind(hand, "inflow")
    inflow = hand.desk.study.elements["inflow-1"]
    assert (inflow.times, inflow.flows) == ((0.0, 3600.0, 18000.0), (0.0, 3.0, 0.0))


@pytest.mark.parametrize("text", ["", "150 %", "much"], ids=["nothing", "out of its range", "no number"])
def test_no_element_is_added_half(hand, any_kind, text):
    before = hand.desk.study
    hand.answer_line(text, then=Qt.Key.Key_Return if text else Qt.Key.Key_Escape)
    add_of_kind(hand, "fork")
    assert hand.desk.study is before
    assert bool(hand.window.message.text()) == bool(text)
