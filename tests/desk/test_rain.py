"""The Rain bench: the depth table, the family, and a peak that is dragged."""

import numpy as np
import pytest
from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtWidgets import QApplication, QPushButton
from pyqtgraph import TextItem

from tarnwater.desk.benches.rain.import_table import ImportTable
from tarnwater.desk.benches.states import rain_state

from .conftest import CTRL, RAIN, Hand

TABLE = "\t2\t100\n15 min\t9\t24\n1 h\t16.4\t43\n6 h\t31\t88"


@pytest.fixture
def rain(hand):
    return hand.bench(RAIN)


@pytest.fixture
def bare(empty):
    return empty.bench(RAIN)


def paste(hand, bench, text, row=0, column=0):
    QApplication.clipboard().setText(text)
    hand.click_cell(bench.sheet, row, column)
    hand.key(Qt.Key.Key_V, CTRL, on=bench.sheet)
    hand.bot.wait(150)


def test_a_table_pasted_into_the_corner_brings_a_family_of_storms(empty, bare):
    paste(empty, bare, TABLE)
    study = empty.desk.study
    (table,) = study.tables.values()
    assert table.depths == ((9.0, 24.0), (16.4, 43.0), (31.0, 88.0))
    (family,) = study.families.values()
    assert (family.return_periods, family.durations) == ((2.0, 100.0), (900.0, 3600.0, 21600.0))
    assert len(empty.desk.file.history.past) == 1
    assert rain_state(empty.desk) == ("6 storms", "quiet")
    assert len(bare.curves.plot.curves) == 4


@pytest.mark.parametrize(
    ("text", "said"),
    [
        ("\t2\t100\n15 min\t9\t24\n1 h\tmany\t43", "is not a number"),
        ("\t2\t100\n15 min\t9\t24\n1 h\t25,400\t43", "Type 25.400"),
        ("\t2\t100\n15 min\t9\t24\n1 h\t3 ha\t43", "not a rain"),
        ("\t2\t100\n15\t9\t24\n1 h\t16\t43", "no unit"),
        ("\t2\t100\n15 min\t9\t24\n1 h\t\t43", "is empty"),
        ("\t2\t100\n15 min\t9\t24\n1 h\t-4\t43", "above zero"),
        ("\t2\t100\n15 min\t9\t24", "at least two durations"),
    ],
    ids=[
        "text in a number field", "25,400", "a unit of the wrong kind", "a duration without its unit", "an empty cell",
        "a value outside its range", "one duration",
    ],
)  # fmt: skip
def test_a_table_that_cannot_be_read_stays_as_typed_and_says_why(empty, bare, text, said):
    paste(empty, bare, text)
    assert said in empty.window.message.text()
    assert not empty.desk.study.tables
    assert bare.model.draft.shown(1, 1) == "9"
    assert rain_state(empty.desk) == ("table unfinished", "loss")


def test_a_draft_is_finished_cell_by_cell(empty, bare):
    paste(empty, bare, "\t2\t100\n15 min\t9\t24\n1 h\tmany\t43")
    empty.type_in_cell(bare.sheet, 2, 1, "1e1")
    empty.settle()
    assert empty.desk.study.tables["depths"].depths[1] == (10.0, 43.0)
    assert not empty.window.message.text()


@pytest.mark.parametrize(
    ("block", "said"),
    [("\n".join(["1\t2"] * 100_000), "100000 rows"), ("\t".join(["1"] * 300), "300 columns")],
    ids=["100,000 rows", "a pasted block wider than the sheet"],
)
def test_a_block_larger_than_any_table_is_refused(empty, bare, block, said):
    paste(empty, bare, block)
    assert said in empty.window.message.text()
    assert bare.model.draft.rows == 1


def test_header_words_and_blank_lines_of_a_pasted_table_are_understood(empty, bare):
    paste(empty, bare, "Duration\t1 in 2\t1 in 100\n\n15 min\t9\t24\n\n1 h\t16.4\t43\n")
    assert empty.desk.study.tables["depths"].return_periods == (2.0, 100.0)


def test_a_depth_is_typed_and_the_untouched_ones_stay_exact(hand, rain):
    before = hand.desk.study.tables["valley"]
    hand.type_in_cell(rain.sheet, 1, 1, "9.5")
    hand.settle()
    after = hand.desk.study.tables["valley"]
    assert after.depths[0][0] == 9.5
    assert after.depths[1:] == before.depths[1:]
    # what the cells do not show is not lost with them
    assert after == before.model_copy(update={"depths": after.depths})
    hand.key(Qt.Key.Key_Z, CTRL, on=hand.window)
    hand.settle()
    assert rain.model.draft.shown(1, 1) == "9.000"


def test_a_row_and_a_column_are_added_at_the_ends(hand, rain):
    table = hand.desk.study.tables["valley"]
    last = rain.sheet.model().rowCount() - 1
    depths = "\t".join(f"{d * 1.2:g}" for d in table.depths[-1])
    paste(hand, rain, f"72 h\t{depths}", row=last)
    assert hand.desk.study.tables["valley"].durations[-1] == 72 * 3600.0


def test_a_row_is_removed_by_emptying_it(hand, rain):
    count = len(hand.desk.study.tables["valley"].durations)
    rain.sheet.setFocus()
    hand.click_cell(rain.sheet, count, 0)
    for _ in range(8):
        hand.key(Qt.Key.Key_Right, Qt.KeyboardModifier.ShiftModifier, on=rain.sheet)
    hand.key(Qt.Key.Key_Delete, on=rain.sheet)
    assert len(hand.desk.study.tables["valley"].durations) == count - 1


def test_curves_are_read_off_at_a_cursor_on_log_axes(hand, rain):
    curves = rain.curves
    curves.setFocus()
    hand.key(Qt.Key.Key_Right, on=curves)
    table = hand.desk.study.tables["valley"]
    at = curves._at * 3600
    assert f"1 in 100 {float(table.depth(at, 100.0)):.4g}"[:12] in curves.caption.text()
    assert curves.plot.x.log
    assert curves.plot.y.log
    hand.click(rain.intensity)
    assert curves.plot.y.unit == "mm/h"


def choose_pattern(hand, words):
    """Choose the pattern of the family by keys."""
    box = hand.named("Pattern")
    box.setFocus()
    hand.write(words, on=box)
    hand.key(Qt.Key.Key_Return, on=box)
    hand.settle()
    assert box.currentText() == words


def test_the_peak_is_dragged_live_and_dropped_as_one_edit(hand, rain):
    choose_pattern(hand, "triangular")
    storm = rain.storm
    hand.bot.wait(50)
    acts = len(hand.desk.file.history.past)
    area, box = storm._area, storm._area.getViewBox()

    def at(share):
        hours = storm._hours * share
        place = area.mapFromScene(box.mapViewToScene(box.mapToView(box.mapFromView(pos(hours)))))
        return QPoint(place.x(), place.y())

    def pos(hours):
        from PyQt6.QtCore import QPointF

        low, high = box.viewRange()[1]
        return QPointF(hours, (low + high) / 2)

    view = area.viewport()
    there = storm.handle_position
    hand.bot.mouseMove(view, at(there))
    hand.bot.wait(30)
    hand.bot.mousePress(view, Qt.MouseButton.LeftButton, pos=at(there))
    seen = set()
    for share in np.linspace(there, 0.3, 9):
        hand.bot.mouseMove(view, at(share))
        hand.bot.wait(20)
        seen.add(int(np.argmax(storm.plot.bars[0].heights)))
    hand.bot.mouseRelease(view, Qt.MouseButton.LeftButton, pos=at(0.3))
    hand.settle()
    assert len(seen) > 2
    assert len(hand.desk.file.history.past) == acts + 1
    position = hand.desk.study.families["valley-storms"].pattern.peak_position
    assert position == pytest.approx(0.3, abs=0.03)


def test_the_peak_is_moved_by_keys_and_typed(hand, rain):
    choose_pattern(hand, "triangular")
    slider = hand.named("Place of the peak in the storm")
    slider.setFocus()
    # 0.375 stands at step 38 of the slider
    hand.key(Qt.Key.Key_Left, on=slider)
    hand.settle()
    assert hand.desk.study.families["valley-storms"].pattern.peak_position == 0.37
    hand.fill(hand.named("Place of the peak"), "30 %")
    hand.settle()
    assert hand.desk.study.families["valley-storms"].pattern.peak_position == 0.3
    hand.fill(hand.named("Place of the peak"), "3")
    assert "at most" in rain.form._message.text()


def test_a_family_is_made_from_lists(hand, rain):
    hand.fill(hand.named("Return periods"), "2, 100")
    hand.fill(hand.named("Durations"), "30 min, 1h30, 6 h")
    hand.settle()
    family = hand.desk.study.families["valley-storms"]
    assert family.return_periods == (2.0, 100.0)
    assert family.durations == (1800.0, 5400.0, 21600.0)
    assert len(hand.desk.results.of("existing", "yard-outlet", 100.0)) == 3


@pytest.mark.parametrize(
    ("field", "text", "said"),
    [
        ("Durations", "1 h, soon", "is not a number"),
        ("Durations", "3 ha", "not a time"),
        ("Return periods", "0.5", "greater than 1"),
        ("Return periods", "", "needs return periods"),
    ],
)
def test_a_list_that_cannot_be_read_keeps_its_text(hand, rain, field, text, said):
    before = hand.desk.study
    line = hand.named(field)
    line.setFocus()
    hand.key(Qt.Key.Key_A, CTRL, on=line)
    hand.key(Qt.Key.Key_Backspace, on=line)
    hand.write(text, on=line)
    hand.key(Qt.Key.Key_Return, on=line)
    assert said in rain.form._message.text()
    assert line.text() == text
    assert hand.desk.study is before


def test_families_are_added_and_removed(hand, rain):
    hand.click(hand.named("Make another storm family"))
    hand.settle()
    assert len(hand.desk.study.families) == 3
    hand.click(hand.named("Remove the storm family"))
    hand.settle()
    assert len(hand.desk.study.families) == 2


def test_a_table_file_is_taken_in_and_its_bad_lines_are_listed(empty, bare, tmp_path):
    good, bad = tmp_path / "good.csv", tmp_path / "bad.csv"
    good.write_text("duration,2,10\n15 min,9,14\n1 h,16,26\n")
    bad.write_text("duration,2,10\n15 min,9,14\n1 h,many,26\n")
    bare.open_table(bad)
    asked = empty.dialog(ImportTable)
    assert "line 3, 1 in 2" in asked.told.text()
    empty.key(Qt.Key.Key_Return, on=asked.unit)
    assert not empty.desk.study.tables
    empty.key(Qt.Key.Key_Escape, on=asked)
    empty.bot.wait(20)
    bare.open_table(good)
    asked = empty.dialog(ImportTable)
    assert asked.shown.item(1, 1).text() == "26.00"
    assert "2 durations from 15 min to 1 h" in asked.told.text()
    assert not empty.desk.study.tables
    empty.click(next(b for b in asked.findChildren(QPushButton) if b.text() == "Import"))
    empty.settle()
    assert empty.desk.study.tables["depths"].source == "good.csv"
    assert empty.desk.study.tables["depths"].depths[1] == (16.0, 26.0)


def test_a_table_in_inches_is_said_to_be_so_before_it_is_taken_in(empty, bare, tmp_path):
    path = tmp_path / "inches.csv"
    path.write_text("duration;2;10\n15 min;0.5;1\n1 h;1;2\n")
    bare.open_table(path)
    asked = empty.dialog(ImportTable)
    asked.unit.setFocus()
    empty.key(Qt.Key.Key_Down, on=asked.unit)
    assert asked.unit.currentText() == "in"
    assert "the greatest depth 2.000 in" in asked.told.text()
    empty.click(next(b for b in asked.findChildren(QPushButton) if b.text() == "Import"))
    empty.settle()
    assert empty.desk.study.tables["depths"].depths[1] == pytest.approx((25.4, 50.8), rel=1e-12)


def test_a_table_is_typed_cell_by_cell_with_tab_and_nothing_is_lost(empty, bare):
    def row(*texts):
        for number, text in enumerate(texts):
            empty.write(text)
            empty.key(Qt.Key.Key_Tab if number < len(texts) - 1 else Qt.Key.Key_Return)
            empty.bot.wait(5)

    draft = lambda: bare.model.draft  # noqa: E731
    assert (bare.sheet.currentIndex().row(), bare.sheet.currentIndex().column()) == (0, 1)
    row("2", "10", "100")
    assert [draft().shown(0, c) for c in (1, 2, 3)] == ["2", "10", "100"]
    empty.key(Qt.Key.Key_Home)
    for texts in (("15 min", "9", "14.3", "24"), ("1 h", "16.4", "26", "43"), ("6 h", "34", "53.3", "88")):
        # Enter goes back to where the row began
        row(*texts)
        # an unfinished table is no mistake yet
        assert not empty.window.message.text()
    table = empty.desk.study.tables["depths"]
    assert table.depths == ((9.0, 14.3, 24.0), (16.4, 26.0, 43.0), (34.0, 53.3, 88.0))
    # the family that came with the table holds what was typed since
    family = empty.desk.study.families["storms"]
    assert (family.return_periods, family.durations) == (table.return_periods, table.durations)


def test_a_family_that_is_not_the_whole_table_stays_when_the_table_grows(hand, rain):
    before = hand.desk.study.families
    last = rain.sheet.model().rowCount() - 1
    table = hand.desk.study.tables["valley"]
    depths = "\t".join(f"{d * 1.2:g}" for d in table.depths[-1])
    paste(hand, rain, f"72 h\t{depths}", row=last)
    assert hand.desk.study.families == before


@pytest.mark.parametrize("width", [1024, 1280, 1920])
def test_the_names_of_the_curves_are_not_cut(qtbot, open_window, demo, width):
    hand = Hand(qtbot, open_window(*demo, size=(width, 800)))
    curves = hand.bench(RAIN).curves
    qtbot.wait(50)
    box = curves._area.getViewBox()
    tags = [item for item in curves._drawn if isinstance(item, TextItem)]
    assert len(tags) == 7
    for tag in tags:
        right = box.mapViewToScene(tag.pos()).x() + tag.boundingRect().width()
        assert right <= box.sceneBoundingRect().right() + 1, tag.toPlainText()
