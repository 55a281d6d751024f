"""The ledger: values, marks, conditions, methods, and every number asked where it came from."""

import pytest
from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QComboBox, QLineEdit, QPushButton, QWidget

from tarnwater.desk.ledger.rows import SettingRow
from tarnwater.desk.widgets.finder import Finder
from tarnwater.desk.widgets.words_button import WordsButton
from tarnwater.runoff.timing import Segmental
from tarnwater.study import edits
from tarnwater.study.checks import check

from .conftest import CASES, CTRL, GROUND, RAIN, RUNOFF


@pytest.fixture
def hask(hand):
    hand.find("hask")
    assert hand.desk.selection == "hask"
    return hand


def words_in(widget):
    return " ".join(w.text() for w in widget.findChildren(QWidget) if callable(getattr(w, "text", None)))


def test_a_value_is_taken_and_the_derived_one_stands_beside_it_with_the_way_back(hask):
    hask.fill(hask.named("lag of Hask"), "1h")
    hask.settle()
    lag = hask.desk.study.elements["hask"].lag
    assert lag.typed.value == 3600.0
    assert (lag.typed.by, lag.typed.at[:4]) == ("E. Marsh", "2026")
    told = words_in(hask.window.ledger)
    assert "derived 41.27 min (+18.73)" in told
    hask.click(hask.named("clear lag"))
    assert hask.desk.study.elements["hask"].lag.typed is None


def test_a_note_is_kept_with_a_typed_value(hask):
    hask.fill(hask.named("lag of Hask"), "1h")
    hask.settle()
    hask.fill(hask.named("note on lag", QLineEdit), "timed in the flood of 2019")
    assert hask.desk.study.elements["hask"].lag.typed.note == "timed in the flood of 2019"
    assert hask.desk.study.elements["hask"].lag.typed.value == 3600.0


@pytest.mark.parametrize(
    ("text", "said"),
    [
        ("soon", "is not a number"),
        ("25,400", "Type 25.400"),
        ("3 ha", "not a time"),
        ("-1", "at least 1 s"),
        ("", "nothing was typed"),
    ],
    ids=["text in a number field", "25,400", "a unit of the wrong kind", "a value outside its range", "an empty field"],
)
def test_what_cannot_be_read_stays_beside_its_reason(hask, text, said):
    before = hask.desk.study
    lag = hask.named("lag of Hask")
    lag.setFocus()
    hask.key(Qt.Key.Key_A, CTRL, on=lag)
    hask.key(Qt.Key.Key_Backspace, on=lag)
    hask.write(text, on=lag)
    hask.key(Qt.Key.Key_Return, on=lag)
    assert lag.text() == text
    assert said in hask.window.ledger._message.text()
    assert hask.window.ledger._message.text()
    assert hask.desk.study is before
    hask.key(Qt.Key.Key_Escape, on=lag)
    assert lag.text() == "41.27"


def test_a_mark_opens_the_reckoning_and_each_input_is_asked_in_turn(hask):
    hask.click(hask.named("reckoning of lag"))
    answer = hask.window.ledger.answer
    assert "734.4" in words_in(answer)
    ask = next(b for b in answer.findChildren(WordsButton) if "curve number" in b.accessibleName())
    before = words_in(answer)
    ask.setFocus()
    hask.key(Qt.Key.Key_Return, on=ask)
    assert len(words_in(answer)) > len(before)
    hask.key(Qt.Key.Key_Space, on=ask)
    hask.click(hask.named("reckoning of lag"))
    assert hask.window.ledger.answer is None


def test_f1_asks_the_number_that_has_the_keys(hask):
    lag = hask.named("lag of Hask")
    lag.setFocus()
    hask.key(Qt.Key.Key_F1, on=lag)
    assert "734.4" in words_in(hask.window.ledger.answer)
    sheet = hask.window.bench.sheet
    row = sheet.model().keys.index("wimmer")
    hask.click_cell(sheet, row, 9)
    hask.key(Qt.Key.Key_F1, on=sheet)
    assert "R/P = R / P" in words_in(hask.window.ledger.answer)
    assert hask.desk.selection == "wimmer"


def test_a_source_leads_to_its_place(hask):
    hask.click(hask.named("reckoning of rain depth"))
    while (go := go_to(hask, "Rain depth")) is None:
        unopened = [b for b in hask.window.ledger.answer.findChildren(WordsButton) if b.text().startswith("▸")]
        hask.click(unopened[0])
        hask.bot.wait(5)
    hask.click(go)
    assert hask.window.bench_title == "Rain"


def go_to(hand, words):
    there = hand.window.ledger.answer.findChildren(WordsButton)
    return next((b for b in there if b.text() == "→ the depth table"), None)


def test_a_measured_source_leads_to_the_map_or_its_field(hask):
    hask.click(hask.named("reckoning of lag"))
    gone = [b for b in hask.window.ledger.answer.findChildren(WordsButton) if b.text().startswith("→")]
    hask.click(gone[0])
    # the first place is that of the asked value itself, whose field takes the keys
    assert hask.window.focusWidget() is hask.named("lag of Hask")


def test_the_antecedent_condition_is_chosen_by_keys(hask):
    box = hask.named("antecedent condition of Hask", QComboBox)
    box.setFocus()
    hask.key(Qt.Key.Key_End, on=box)
    hask.settle()
    loss = hask.desk.study.elements["hask"].surfaces[0].loss
    assert loss.antecedent == "wet"
    assert loss.in_condition > loss.curve_number.value
    hask.key(Qt.Key.Key_Z, CTRL, on=hask.window)
    hask.settle()
    assert hask.desk.study.elements["hask"].surfaces[0].loss.antecedent == "average"


def test_one_key_turns_edits_to_the_condition_in_view_and_back(hand):
    hand.bench(CASES)
    hand.key(Qt.Key.Key_Down, on=hand.window.bench.board)
    assert hand.desk.view.condition == "yard-surfaced"
    hand.find("hill field")
    # what is typed counts in the condition that was picked
    assert "only to Yard surfaced" in hand.window.ledger.scope.text()
    hand.fill(hand.named("lag of Hill field"), "30 min")
    hand.settle()
    study = hand.desk.study
    assert study.elements["hill-field"].lag.value == 900.0
    assert study.conditions["yard-surfaced"].settings["hill-field/lag"].value == 1800.0
    row = next(r for r in hand.window.ledger.findChildren(SettingRow) if r.path == "lag")
    assert row.mark.text() == "◆"
    assert "Yard surfaced" in row.mark.toolTip()
    hand.key(Qt.Key.Key_F6, on=hand.window)
    assert "all conditions" in hand.window.ledger.scope.text()
    # shown is the condition in view, wherever typing goes
    assert hand.named("lag of Hill field").text() == "30.00"
    assert "without this condition: 15.00 min" in words_in(hand.window.ledger)
    hand.key(Qt.Key.Key_F6, on=hand.window)
    hand.click(hand.named("clear lag"))
    hand.settle()
    assert "hill-field/lag" not in hand.desk.study.conditions["yard-surfaced"].settings


def test_edits_follow_the_condition_picked_and_count_in_all_while_the_base_is_in_view(hand):
    hand.key(Qt.Key.Key_F6, on=hand.window)
    assert hand.desk.edits_in == "existing"
    hand.bench(CASES)
    hand.key(Qt.Key.Key_Down, on=hand.window.bench.board)
    assert hand.desk.edits_in == "yard-surfaced"
    hand.key(Qt.Key.Key_Right, on=hand.window.bench.board)
    assert hand.desk.edits_in == "yard-surfaced"
    hand.key(Qt.Key.Key_Up, on=hand.window.bench.board)
    assert hand.desk.edits_in == ""


def choose(hand, name, text):
    """Walk a choice by arrows until a text stands there."""
    box = hand.named(name, QComboBox)
    assert text in [box.itemText(i) for i in range(box.count())]
    box.setFocus()
    hand.key(Qt.Key.Key_Home, on=box)
    for _ in range(box.count()):
        if box.currentText() == text:
            break
        hand.key(Qt.Key.Key_Down, on=box)
        box = hand.named(name, QComboBox)
    assert box.currentText() == text
    hand.settle()


def test_a_method_is_chosen_and_its_settings_follow(hask):
    choose(hask, "timing of Hask", "typed lag or time of concentration")
    assert type(hask.desk.study.elements["hask"].timing).__name__ == "ByHand"
    assert hask.desk.file.history.past[-1].label == "choose timing of Hask"


def share_row(hand, number):
    return next(r for r in hand.window.ledger.findChildren(SettingRow) if r.path == f"surfaces/{number}/share")


def test_surfaces_are_added_covered_and_removed(hask):
    hask.click(hask.named("Make the surfaces by hand surfaces"))
    hask.settle()
    assert hask.desk.study.elements["hask"].land is None
    assert hask.desk.study.elements["hask"].curve_number == pytest.approx(71.69, abs=0.01)
    count = len(hask.desk.study.elements["hask"].surfaces)
    hask.click(hask.named("Add a surface surfaces"))
    hask.settle()
    assert len(hask.desk.study.elements["hask"].surfaces) == count + 1
    hask.fill(share_row(hask, count).field, "25%")
    hask.settle()
    assert hask.desk.study.elements["hask"].weights == pytest.approx((0.75, 0.25), abs=1e-15)
    assert share_row(hask, 0).field.text() == "75.00"
    hask.fill(share_row(hask, 0).field, "70%")
    hask.settle()
    assert [f.text for f in check(hask.desk.study) if f.code == "composite-area"] == [
        "its surfaces add up to 95 % of its area."
    ]
    hask.click(hask.named("clear share"))
    hask.settle()
    assert hask.desk.study.elements["hask"].weights == pytest.approx((0.75, 0.25), abs=1e-15)
    hask.click(hask.named(f"Remove this surface surfaces/{count}"))
    hask.settle()
    assert len(hask.desk.study.elements["hask"].surfaces) == count
    choose(hask, "cover of Hask", "Meadow")
    choose(hask, "soil group of Hask", "D")
    assert hask.desk.study.elements["hask"].surfaces[0].cover.group == "D"


def test_another_loss_is_chosen_where_the_present_one_has_no_parameters(hask):
    hask.click(hask.named("Make the surfaces by hand surfaces"))
    hask.settle()
    for title in ("no loss", "curve number"):
        choose(hask, "method of Hask", title)
        assert hask.desk.study.elements["hask"].surfaces[0].loss.title == title


def test_the_impervious_share_is_one_number_in_sheet_and_ledger(hask):
    hask.bench(RUNOFF)
    sheet = hask.named("Sheet of catchments")
    hask.click(hask.named("Make the surfaces by hand surfaces"))
    hask.settle()
    hask.click(hask.named("Add connected impervious land surfaces"))
    hask.settle()
    hask.fill(share_row(hask, 1).field, "12%")
    hask.settle()
    model = sheet.model()
    row = model.keys.index("hask")
    column = next(n for n, one in enumerate(model.columns) if one.title == "imperv.")
    assert model.data(model.index(row, column)) == share_row(hask, 1).field.text() == "12.00"
    hask.type_in_cell(sheet, row, column, "20%")
    hask.click_cell(sheet, row, column)
    hask.settle()
    assert share_row(hask, 1).field.text() == "20.00"
    assert hask.desk.study.elements["hask"].weights == pytest.approx((0.8, 0.2), abs=1e-15)
    # surfaces that follow from cover and soil take no other land
    assert model.path("sallow-tarn", column) is None
    hask.key(Qt.Key.Key_Z, CTRL, on=hask.window)
    hask.settle()
    assert hask.desk.study.elements["hask"].weights == pytest.approx((0.88, 0.12), abs=1e-15)


def test_impervious_land_is_made_by_its_cell_in_the_sheet(hask):
    hask.bench(RUNOFF)
    hask.click(hask.named("Make the surfaces by hand surfaces"))
    hask.settle()
    sheet = hask.named("Sheet of catchments")
    model = sheet.model()
    row = model.keys.index("hask")
    column = next(n for n, one in enumerate(model.columns) if one.title == "imperv.")
    assert model.data(model.index(row, column)) == "0"
    hask.type_in_cell(sheet, row, column, "20")
    hask.click_cell(sheet, row, column)
    hask.settle()
    assert hask.desk.study.elements["hask"].weights == pytest.approx((0.8, 0.2), abs=1e-15)
    assert model.data(model.index(row, column)) == share_row(hask, 1).field.text() == "20.00"
    # nothing is there to be cleared or asked after undo, and neither act fails
    hask.key(Qt.Key.Key_Z, CTRL, on=hask.window)
    hask.settle()
    assert hask.desk.study.elements["hask"].weights == (1.0,)
    hask.click_cell(sheet, row, column)
    hask.key(Qt.Key.Key_F1, on=sheet)
    hask.key(Qt.Key.Key_Delete, on=sheet)
    assert model.data(model.index(row, column)) == "0"


def test_a_section_of_the_channel_is_added_by_its_button_and_gives_the_time(hask):
    hask.bench(RUNOFF)
    assert not [b for b in hask.window.ledger.findChildren(QPushButton) if "section of the channel" in b.text()]
    given = {"sheet_length": 0.0, "shallow_length": 0.0, "channel_length": 900.0, "channel_slope": 0.02}
    hask.desk.do(edits.choose, "hask", "timing", Segmental(**given))
    hask.settle()
    hask.click(hask.named("Add section of the channel … channel", QPushButton))
    finder = hask.dialog(Finder)
    hask.write("trapezoid", on=finder.line)
    hask.key(Qt.Key.Key_Return, on=finder.line)
    hask.settle()
    assert "SECTION OF THE CHANNEL" in words_in(hask.window.ledger)
    element = hask.desk.elements["hask"]
    full = element.channel[0].full
    assert element.concentration.value == pytest.approx(
        900 / (full.radius ** (2 / 3) * 0.02**0.5 / element.channel[0].roughness), rel=1e-12
    )
    hask.key(Qt.Key.Key_Z, CTRL, on=hask.window)
    hask.settle()
    assert hask.desk.elements["hask"].channel == ()


def test_the_legend_names_every_mark(window):
    told = words_in(window.ledger)
    for mark in "■○◆◇!–":
        assert mark in told


def test_nothing_selected_says_what_to_do(empty):
    assert "Insert adds a catchment" in words_in(empty.window.ledger)


def test_each_bench_keeps_the_selection(hask):
    for bench in (GROUND, RAIN, RUNOFF, CASES):
        hask.bench(bench)
        assert hask.desk.selection == "hask"
        assert hask.named("area of Hask")


def test_15_min_in_hours(hask):
    hask.find("mill fold")
    field = hask.named("concentration of Mill Fold")
    row = field.parentWidget()
    unit = next(b for b in row.findChildren(QPushButton) if b.accessibleName() == "unit of concentration")
    hask.click(unit)
    hask.click_menu("h")
    assert unit.text() == "h"
    hask.fill(field, "15 min")
    hask.settle()
    assert hask.desk.study.elements["mill-fold"].concentration.typed.value == 900.0


def test_1e3_is_a_number(hask):
    hask.fill(hask.named("flow length of Hask"), "1e3 m")
    hask.settle()
    assert hask.desk.study.elements["hask"].flow_length.typed.value == 1000.0
