"""The work of the Runoff bench from end to end, by mouse and keys alone."""

import pytest
from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QApplication, QComboBox
from tests.desk.conftest import CTRL, SHIFT

from tarnwater.desk.benches.runoff.balance_dialog import BalanceDialog
from tarnwater.desk.benches.runoff.methods_dialog import MethodsDialog


def balance_of(dialog, name):
    """The figures of a row of the balance."""
    rows = {dialog.rows.item(r, 0).text(): r for r in range(dialog.rows.rowCount())}
    cells = [dialog.rows.item(rows[name], c).text() for c in range(1, dialog.rows.columnCount())]
    return [float(cell) for cell in cells]


def test_paste_a_block_change_methods_for_half_compare_two_read_the_balance_and_undo(hand):
    sheet, study = hand.window.bench.sheet, hand.desk.study
    before = study.as_text()
    keys = list(sheet.model().keys)
    # a block of lags, typed elsewhere, for the first three
    QApplication.clipboard().setText("30 min\n50 min\n42 min")
    hand.click_cell(sheet, 0, 2)
    hand.key(Qt.Key.Key_V, CTRL, on=sheet)
    hand.settle()
    assert [hand.desk.study.elements[k].lag.typed_value for k in keys[:3]] == [1800.0, 3000.0, 2520.0]
    # another transform for the upper half
    hand.click_cell(sheet, 0, 0)
    for _ in range(3):
        hand.key(Qt.Key.Key_Down, SHIFT, on=sheet)
    assert len(hand.desk.chosen) == 4
    boxes = hand.window.ledger.findChildren(QComboBox)
    box = next(b for b in boxes if b.findText("cascade of linear reservoirs") >= 0)
    box.setFocus()
    # the first of the list
    hand.key(Qt.Key.Key_Home, on=box)
    hand.settle()
    tags = [hand.desk.study.elements[k].transform.tag() for k in keys]
    assert tags[:4] == ["cascade"] * 4
    assert "cascade" not in tags[4:]
    # two methods side by side, and left
    hand.key(Qt.Key.Key_K, CTRL | SHIFT, on=hand.window)
    dialog = hand.dialog(MethodsDialog)
    dialog.what.setFocus()
    while "transform" not in dialog.what.currentText():
        hand.key(Qt.Key.Key_Down, on=dialog.what)
    hand.bot.waitUntil(lambda: dialog.plot.plot is not None and len(dialog.plot.plot.curves) == 2, timeout=20_000)
    hand.key(Qt.Key.Key_Escape, on=dialog)
    hand.settle()
    hand.back()
    # the balance of the case in view
    hand.key(Qt.Key.Key_W, CTRL | SHIFT, on=hand.window)
    dialog = hand.dialog(BalanceDialog)
    *volumes, error = balance_of(dialog, "all together")
    assert sum(volumes[:5]) == pytest.approx(sum(volumes[5:]), rel=2e-3)
    assert error < 1e-9
    assert dialog.rows.rowCount() == len(hand.desk.case_showing(hand.desk.view.point).network.elements) + 1
    hand.key(Qt.Key.Key_Escape, on=dialog)
    while hand.desk.file.history.past:
        hand.key(Qt.Key.Key_Z, CTRL, on=hand.window)
        hand.settle()
    assert hand.desk.study.as_text() == before
