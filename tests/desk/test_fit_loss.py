"""A loss fitted to the present one, by keys."""

import pytest
from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QPushButton
from tests.desk.conftest import CTRL

from tarnwater.desk.benches.runoff.fit_dialog import FitDialog

ALT = Qt.KeyboardModifier.AltModifier


def test_a_loss_is_fitted_shown_taken_and_undone_by_keys(hand):
    hand.find("Hask")
    before = hand.desk.study.elements["hask"].surfaces[0].loss
    hand.key(Qt.Key.Key_L, CTRL | ALT, on=hand.window)
    dialog = hand.dialog(FitDialog)
    hand.bot.waitUntil(lambda: dialog.made is not None, timeout=30_000)
    assert dialog.rows.rowCount() == len(dialog.made[1].storms)
    assert "Worst" in dialog.told.text()
    loss, fit = dialog.made
    use = next(b for b in dialog.findChildren(QPushButton) if b.text() == "Use it")
    hand.click(use)
    hand.settle()
    surface = hand.desk.study.elements["hask"].surfaces[0]
    assert surface.loss == loss
    assert surface.holding_fit == fit
    hand.key(Qt.Key.Key_Z, CTRL, on=hand.window)
    hand.settle()
    assert hand.desk.study.elements["hask"].surfaces[0].loss == before


def test_another_loss_chosen_by_arrows_is_fitted_anew(hand):
    hand.find("Hask")
    hand.key(Qt.Key.Key_L, CTRL | ALT, on=hand.window)
    dialog = hand.dialog(FitDialog)
    hand.bot.waitUntil(lambda: dialog.made is not None, timeout=30_000)
    first = dialog.made[0].tag()
    dialog.target.setFocus()
    hand.key(Qt.Key.Key_Down, on=dialog.target)
    hand.bot.waitUntil(lambda: dialog.made is not None and dialog.made[0].tag() != first, timeout=30_000)
    assert dialog.made[1].worst.misfit == pytest.approx(dialog.made[1].worst.misfit)
    hand.key(Qt.Key.Key_Escape, on=dialog)
    assert hand.desk.study.elements["hask"].surfaces[0].fitted is None
