"""The Cases bench and the pin strip."""

import pytest
from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtGui import QFontMetrics
from PyQt6.QtWidgets import QApplication, QLabel

from tarnwater.desk.dialogs.limits import Limits
from tarnwater.desk.theme import desk_font
from tarnwater.study import edits

from .conftest import CASES, CTRL, RUNOFF, SHIFT, Hand


@pytest.fixture
def bench(hand):
    return hand.bench(CASES)


def middle(box):
    return QPoint(round(box.center().x()), round(box.center().y()))


def test_the_board_is_walked_by_arrows_and_the_case_in_view_follows(hand, bench):
    board = bench.board
    assert QApplication.focusWidget() is board
    view = hand.desk.view
    hand.key(Qt.Key.Key_Right, on=board)
    hand.key(Qt.Key.Key_Down, on=board)
    assert hand.desk.view.event > view.event
    assert hand.desk.view.condition == "yard-surfaced"
    assert hand.window.bar.condition.currentText() == "Yard surfaced"
    hand.click(board, middle(board.cell(0, 0)))
    assert (hand.desk.view.condition, hand.desk.view.event) == ("existing", 2.0)


def test_a_board_of_many_return_periods_and_conditions_scrolls_and_cuts_no_figure(qtbot, open_window, demo):
    study = demo[0]
    key = next(iter(study.families))
    family = study.families[key].model_copy(
        update={"return_periods": (2.0, 5.0, 10.0, 20.0, 30.0, 50.0, 75.0, 100.0, 200.0)}
    )
    study = edits.set_family(study, key, family)
    for number in range(6):
        study = edits.add_condition(study, f"Trial {number}", "existing")
    hand = Hand(qtbot, open_window(study, demo[1], size=(1024, 700)))
    board = hand.bench(CASES).board
    metrics = QFontMetrics(desk_font(8))
    assert board.cell(0, 0).width() - 34 >= metrics.horizontalAdvance("−0.0888 · 15 min")
    area = board.parentWidget()
    for _ in range(8):
        hand.key(Qt.Key.Key_Right, on=board)
    for _ in range(8):
        hand.key(Qt.Key.Key_Down, on=board)
    place = board.cell_in_view.center().toPoint()
    assert hand.desk.view.event == 200.0
    assert hand.desk.view.condition == "trial-5"
    assert area.rect().contains(board.mapTo(area, place))


def test_a_cell_opens_to_its_durations_and_one_of_them_is_looked_at(hand, bench):
    board = bench.board
    hand.key(Qt.Key.Key_Return, on=board)
    rows = bench.durations.rows
    view = hand.desk.view
    own = hand.desk.results.all_of(view.condition, view.point, view.event)
    assert [row.storm for row in rows] == [r.case.storm.mark for r in own]
    assert sum(row.governs for row in rows) == 1
    # without an ensemble no member is named, and the peaks by duration pass through every case
    assert bench.durations.isColumnHidden(2)
    assert not any(row.pattern or row.typical for row in rows)
    peaks = {r.case.storm.duration / 3600: r.peak(view.point).ordinate for r in own if r.standing == "counted"}
    line = bench.by_duration.plot.curves[0]
    assert dict(zip(line.x.tolist(), line.y.tolist(), strict=True)) == pytest.approx(peaks)
    assert bench.by_duration.plot.marks[0].y == pytest.approx(max(peaks.values()))
    hand.key(Qt.Key.Key_Up, on=bench.durations)
    hand.key(Qt.Key.Key_Return, on=bench.durations)
    assert hand.desk.view.storm in [row.storm for row in rows]
    hand.key(Qt.Key.Key_Escape, on=bench.durations)
    assert not bench.durations.isVisible()


def test_the_table_of_peaks_shows_every_answer_and_is_copied(hand, bench):
    hand.click(hand.named("Show the table of peaks"))
    assert bench.peaks.isVisible()
    assert bench.peaks.model().rowCount() == len(hand.desk.results.answers())
    hand.key(Qt.Key.Key_A, CTRL, on=bench.peaks)
    hand.key(Qt.Key.Key_C, CTRL, on=bench.peaks)
    rows = [line.split("\t") for line in QApplication.clipboard().text().splitlines()]
    assert len(rows) == len(hand.desk.results.answers()) + 1
    peak = rows[0].index("peak m³/s")
    exact = [a.figures.peak.ordinate for a in hand.desk.results.answers()]
    assert [float(r[peak]) for r in rows[1:]] == pytest.approx(exact, rel=1e-15)


def test_the_flow_tree_is_walked_with_the_water(hand, bench):
    tree = bench.tree
    place = tree.place_of("hask")
    hand.click(tree, QPoint(round(place.x()), round(place.y())))
    assert hand.desk.selection == "hask"
    hand.key(Qt.Key.Key_Down, on=tree)
    assert hand.desk.selection == "hask-outlet"
    hand.key(Qt.Key.Key_Up, on=tree)
    assert hand.desk.selection == "hask"


def test_conditions_are_told_apart_by_line_style(hand, bench):
    curves = [c for c in bench.plot.plot.curves if c.role != "quiet"]
    assert len({c.style for c in curves}) == 3


def test_f1_on_the_board_asks_the_peak_of_its_point(hand, bench):
    bench.board.setFocus()
    hand.key(Qt.Key.Key_F1, on=bench.board)
    assert hand.desk.selection == hand.desk.view.point
    assert hand.window.ledger.answer is not None


def test_a_pinned_flow_follows_every_edit_with_its_ghost(hand):
    hand.bench(RUNOFF)
    hand.find("yard outlet")
    hand.key(Qt.Key.Key_P, CTRL, on=hand.window)
    pin = hand.window.pins.views[0]
    assert pin.plot.plot is not None
    before = pin._peak.text()
    hand.find("hill field")
    hand.fill(hand.named("lag of Hill field"), "40 min")
    hand.settle()
    assert pin._peak.text() != before
    assert "to the ghost" in pin._apart.text()
    assert pin.plot.plot.curves[0].label == "before the edit"


def test_a_pin_is_held_on_its_case_frozen_and_taken_off(hand):
    hand.find("yard outlet")
    hand.key(Qt.Key.Key_P, CTRL, on=hand.window)
    pin = hand.window.pins.views[0]
    hand.click(hand.named("hold pin 1"))
    held = pin._case.text()
    assert held.startswith("held: ")
    hand.bench(CASES)
    hand.key(Qt.Key.Key_Right, on=hand.window.bench.board)
    assert pin._case.text() == held
    hand.click(hand.named("freeze pin 1"))
    assert hand.desk.pins[0].ghost is hand.desk.results
    height = hand.window.pins.height()
    hand.click(hand.named("Fold the pin strip"))
    assert hand.window.pins.height() < height
    hand.click(hand.named("Fold the pin strip"))
    hand.click(hand.named("unpin pin 1"))
    assert hand.window.pins.views == []


def test_limits_are_typed_and_the_board_holds_cells_against_them(hand, bench):
    hand.find("hill field")
    hand.key(Qt.Key.Key_M, CTRL, on=hand.window)
    asked = hand.dialog(Limits)
    hand.fill(asked.fields[10.0], "much")
    assert asked.isVisible()
    assert any("neither a flow nor a condition" in w.text() for w in asked.findChildren(QLabel) if w.isVisible())
    assert asked.fields[10.0].text() == "much"
    hand.fill(asked.fields[100.0], "300 L/s")
    hand.fill(asked.fields[10.0], "90 % of Existing")
    hand.settle()
    point = hand.desk.study.design_points["hill-field"]
    assert [(m.return_period, m.flow, m.share, m.of_condition) for m in point.limits] == [
        (10.0, None, 0.9, "existing"), (100.0, 0.3, 1.0, None),
    ]  # fmt: skip
    assert hand.desk.file.history.past[-1].label == "set design point Hill field"


def test_a_condition_is_added_edited_and_removed(hand, bench):
    hand.answer_line("Hill planted")
    hand.key(Qt.Key.Key_N, CTRL | SHIFT, on=hand.window)
    hand.settle()
    desk = hand.desk
    assert (desk.view.condition, desk.edits_in) == ("hill-planted", "hill-planted")
    assert "only to Hill planted" in hand.window.ledger.scope.text()
    hand.find("hill field")
    hand.fill(hand.named("lag of Hill field"), "40")
    hand.settle()
    assert desk.study.elements["hill-field"].lag.value == 900.0
    assert desk.case_in_view().network.elements["hill-field"].lag.value == 2400.0
    assert [desk.study.conditions[c].name for c in bench.board.conditions][-1] == "Hill planted"
    hand.find("remove condition hill")
    hand.settle()
    assert "hill-planted" not in desk.study.conditions
    assert desk.view.condition == "existing"
    assert desk.edits_in == ""


def test_board_and_durations_are_copied_exact(hand, bench):
    hand.key(Qt.Key.Key_C, CTRL, on=bench.board)
    head, *rows = [line.split("\t") for line in QApplication.clipboard().text().splitlines()]
    answers = [a for a in hand.desk.results.answers() if a.result.case.point == hand.desk.view.point]
    assert head[:3] == ["condition", "1 in", "peak m³/s"]
    assert [float(row[2]) for row in rows] == [a.figures.peak.ordinate for a in answers]
    hand.key(Qt.Key.Key_Return, on=bench.board)
    hand.key(Qt.Key.Key_C, CTRL, on=bench.durations)
    head, *rows = [line.split("\t") for line in QApplication.clipboard().text().splitlines()]
    view = hand.desk.view
    cases = hand.desk.results.all_of(view.condition, view.point, view.event)
    families = hand.desk.study.families
    assert [row[0] for row in rows] == [families[c.case.storm.key].name for c in cases]
    assert [float(row[3]) for row in rows] == [c.peak(view.point).ordinate for c in cases]
