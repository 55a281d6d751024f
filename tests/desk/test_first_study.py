"""The first study of the README, step by step, by keys and mouse, from an empty window."""

from pathlib import Path

import pytest
from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QApplication, QLabel

from tarnwater.desk import opening
from tarnwater.desk.dialogs.named_points import NamedPoints
from tarnwater.desk.ledger.reckoning_view import ReckoningView
from tarnwater.study.file.store import read_study
from tarnwater.units import rounded

from .conftest import CASES, CTRL, RAIN, RUNOFF, Hand

README = (Path(__file__).parents[2] / "README.md").read_text(encoding="utf-8")
STEPS = README.split("## A first study in ten steps")[1].split("## Keys")[0]
TABLE = "\n".join(line.removeprefix("   ") for line in STEPS.split("```text\n")[1].split("   ```")[0].splitlines())


@pytest.fixture
def hand(qtbot, empty, tmp_path):
    """A person at the window of a new study, made with Ctrl+N."""

    # 1  Ctrl+N and a name: an empty study in a file of its own
    empty.answer_file(tmp_path / "hask-bridge")
    empty.key(Qt.Key.Key_N, CTRL, on=empty.window)
    qtbot.waitUntil(lambda: bool(opening.WINDOWS), timeout=5_000)
    person = Hand(qtbot, opening.WINDOWS[-1])
    person.settle()
    yield person
    person.window.close()
    qtbot.wait(20)


def name_it(hand, name):
    hand.answer_line(name)
    hand.key(Qt.Key.Key_F2, on=hand.window)
    hand.back()


def test_the_first_study_in_ten_steps(hand):
    window, desk = hand.window, hand.desk
    assert desk.study.title == "Hask bridge"

    # 2  Ctrl+2, Ctrl+V: a depth table from a spreadsheet; a family of storms comes with it
    QApplication.clipboard().setText(TABLE)
    hand.bench(RAIN)
    hand.key(Qt.Key.Key_V, CTRL)
    assert next(iter(desk.study.families.values())).return_periods == (2.0, 10.0, 100.0)

    # 3  Ctrl+3, Insert: a catchment, and an outfall that it drains into
    runoff = hand.bench(RUNOFF)
    hand.key(Qt.Key.Key_Insert, on=window)
    assert sorted(e.kind for e in desk.study.elements.values()) == ["catchment", "outfall"]

    # 4  F2: its name
    name_it(hand, "Hask")
    assert desk.study.name_of(desk.selection) == "Hask"

    # 5  area, curve number and lag typed along the row, Tab between them
    hand.write("3")
    hand.key(Qt.Key.Key_Tab)
    hand.write("75")
    hand.key(Qt.Key.Key_Tab)
    hand.write("45")
    hand.key(Qt.Key.Key_Return)
    hand.settle()
    hask = desk.study.elements[desk.selection]
    assert (hask.area.value, hask.curve_number, hask.lag.value) == (3e6, 75.0, 2700.0)

    # 6  the peak stands in its row, the hydrograph beside it
    column = next(n for n, one in enumerate(runoff.catchments.columns) if one.title == "peak")
    peak = runoff.catchments.value(desk.selection, column)
    assert peak == desk.case_in_view().peak(desk.selection).ordinate
    assert runoff.flow.plot.marks[0].text.startswith(rounded(peak))

    # 7  F1: where the peak comes from; each input can be asked in turn
    hand.click_cell(runoff.sheet, 0, column)
    hand.key(Qt.Key.Key_F1, on=runoff.sheet)
    told = [w.text() for w in window.ledger.findChildren(ReckoningView)[0].findChildren(QLabel)]
    assert any(rounded(peak) in words for words in told)

    # 8  Ctrl+5, Enter: the board at the outfall, opened to the durations of a cell
    cases = hand.bench(CASES)
    assert [r.case.event for r in (a.result for a in desk.results.answers())] == [2, 10, 100]
    assert f"{rounded(desk.results.answers()[-1].figures.peak.ordinate)} m³/s at 1 in 100" in STEPS
    hand.key(Qt.Key.Key_Return)
    assert cases.durations.isVisible()

    # 9  Ctrl+P pins the flow; an edit moves it, and the ghost stays
    hand.key(Qt.Key.Key_P, CTRL, on=window)
    hand.find("lag hask")
    hand.write("30")
    hand.key(Qt.Key.Key_Return)
    hand.settle()
    assert desk.results.answers()[-1].figures.peak.ordinate > peak
    assert desk.before.answers()[1].figures.peak.ordinate == pytest.approx(peak, rel=1e-12)

    # 10  Ctrl+S: a named point to come back to
    hand.key(Qt.Key.Key_S, CTRL, on=window)
    asked = hand.dialog(NamedPoints)
    hand.write("lag 30 min", on=asked.name)
    hand.key(Qt.Key.Key_Return, on=asked.name)
    hand.bot.wait(20)
    assert "lag 30 min" in desk.file.history.points

    # all of it is in the file
    assert read_study(desk.file.path)[0].as_text() == desk.study.as_text()
