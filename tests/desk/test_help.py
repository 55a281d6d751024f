"""Help: F1 in every field, on every bench."""

import pytest
from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QAbstractItemView, QAbstractSlider, QCheckBox, QComboBox, QLabel, QLineEdit, QWidget

from tarnwater.desk.benches.cases.flow_tree import FlowTree
from tarnwater.desk.benches.ground.canvas import MapCanvas
from tarnwater.desk.widgets.plot_view import PlotView

from .conftest import CASES, GROUND, RAIN, RUNOFF


@pytest.mark.parametrize("number", [GROUND, RAIN, RUNOFF, CASES], ids=["Ground", "Rain", "Runoff", "Cases"])
def test_f1_answers_in_every_field_of_a_bench(hand, number):
    kinds = QLineEdit, QComboBox, QAbstractSlider, QAbstractItemView, QCheckBox, PlotView, MapCanvas, FlowTree
    hand.find("mill fold")
    hand.bench(number)
    hand.settle()
    asked = 0
    for field in hand.window.findChildren(QWidget):
        takes_keys = field.isVisible() and field.isEnabled() and field.focusPolicy() != Qt.FocusPolicy.NoFocus
        if not isinstance(field, kinds) or not takes_keys:
            continue
        hand.window.say("")
        field.setFocus()
        hand.key(Qt.Key.Key_F1, on=field)
        answer, told = hand.window.ledger.answer, hand.window.message.text()
        name = field.accessibleName()
        assert told.startswith(name) or (answer is not None and _is_of(answer, field, hand)), (name, told)
        if answer is not None:
            hand.key(Qt.Key.Key_F1, on=hand.window)
        asked += 1
    assert asked > 8


def _is_of(answer, field, hand):
    """Whether a reckoning stands below the row of its own field, or below the figure that a table asks."""
    row = answer.parentWidget()
    return row.isAncestorOf(field) or isinstance(field, QAbstractItemView)


def test_f1_on_a_method_gives_its_equation_and_source(hand):
    hand.find("mill fold")
    box = hand.named("timing of Mill Fold", QComboBox)
    box.setFocus()
    hand.key(Qt.Key.Key_F1, on=box)
    told = hand.window.message.text()
    assert "NRCS lag equation" in told
    assert "lag = L^0.8" in told
    assert "Part 630" in told


def test_names_are_those_of_the_trade_with_their_symbols_and_hints_say_the_rest(hand):
    hand.find("hask")
    labels = {
        label.text(): label for label in hand.window.ledger.findChildren(QLabel) if label.isVisibleTo(hand.window)
    }
    wanted = {"time of concentration Tc", "lag time tL", "curve number CN", "initial abstraction ratio λ",
              "peak rate factor F", "flow path length L"}  # fmt: skip
    assert wanted <= labels.keys()
    hint = labels["time of concentration Tc"].toolTip()
    for part in (
        "time of concentration",
        "unit: min",
        "usual range: 2",
        "L^0.8 (S/25.4 + 1)^0.7",
        "source: its timing method",
    ):
        assert part in hint, (part, hint)


def test_the_head_of_a_column_gives_the_whole_name(hand):
    sheet = hand.bench(RUNOFF).catchments
    lag = next(n for n, column in enumerate(sheet.columns) if column.title == "lag")
    told = sheet.headerData(lag, Qt.Orientation.Horizontal, Qt.ItemDataRole.ToolTipRole)
    assert "lag time tL" in told
    assert "usual range: 1" in told
