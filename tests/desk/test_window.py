"""What a person does in the window, by mouse and keys only; models are read, never set."""

import numpy as np
import pytest
from PyQt6.QtCore import QPoint, Qt, QTimer
from PyQt6.QtWidgets import QApplication, QInputDialog, QLineEdit, QPushButton, QWidget

from tarnwater.desk.theme import DARK, LIGHT
from tarnwater.desk.widgets.finder import Finder
from tarnwater.desk.widgets.quantity_field import QuantityField
from tarnwater.network.elements import Catchment
from tarnwater.study import edits

CN, LAG, PEAK = 1, 4, 6
CTRL = Qt.KeyboardModifier.ControlModifier


def computed(qtbot, window):
    qtbot.waitUntil(lambda: not window.desk.computing, timeout=30_000)


def click_cell(qtbot, sheet, row, column):
    place = sheet.visualRect(sheet.model().index(row, column)).center()
    qtbot.mouseClick(sheet.viewport(), Qt.MouseButton.LeftButton, pos=place)


def type_in_cell(qtbot, sheet, row, column, text):
    click_cell(qtbot, sheet, row, column)
    qtbot.keyClick(sheet, Qt.Key.Key_Return)
    editor = next(e for e in sheet.findChildren(QLineEdit) if e.isVisible())
    qtbot.keyClick(editor, Qt.Key.Key_A, CTRL)
    qtbot.keyClicks(editor, text)
    qtbot.keyClick(editor, Qt.Key.Key_Return)
    # the sheet takes what was typed when the keys have been dealt with
    qtbot.wait(10)


def shown(sheet, row, column):
    return sheet.model().index(row, column).data()


def row_of(sheet, name):
    model = sheet.model()
    return next(r for r in range(model.rowCount()) if model.headerData(r, Qt.Orientation.Vertical) == name)


@pytest.fixture
def sheet(window):
    return window.benches[0].sheet


def test_the_sheet_shows_a_peak_with_what_stands_beside_it(window, sheet):
    row = row_of(sheet, "Mill Fold")
    case = window.desk.case_in_view()
    assert float(shown(sheet, row, PEAK)) == pytest.approx(case.peak("mill-fold").ordinate, rel=1e-3)
    assert all(shown(sheet, row, c) for c in range(PEAK, PEAK + 4))
    assert sheet.model().headerData(PEAK, Qt.Orientation.Horizontal) == "peak\nm³/s"


def test_a_click_selects_an_element_everywhere(qtbot, window, sheet):
    click_cell(qtbot, sheet, row_of(sheet, "Wimmer"), CN)
    assert window.desk.selection == "wimmer"
    names = [f.accessibleName() for f in window.ledger.findChildren(QuantityField)]
    assert "area of Wimmer" in names
    assert window.benches[0].flow.plot.title.startswith("Wimmer")


def test_an_edit_is_typed_computed_undone_and_done_again_by_keys(qtbot, window, sheet):
    row = row_of(sheet, "Coldgarth yard")
    before = shown(sheet, row, PEAK)
    type_in_cell(qtbot, sheet, row, LAG, "30 min")
    computed(qtbot, window)
    assert window.desk.study.elements["coldgarth-yard"].lag.typed.value == 1800.0
    assert float(shown(sheet, row, PEAK)) < float(before)
    assert window.benches[0].flow.plot.curves[0].label == "before the edit"
    qtbot.keyClick(window, Qt.Key.Key_Z, CTRL)
    computed(qtbot, window)
    assert shown(sheet, row, PEAK) == before
    qtbot.keyClick(window, Qt.Key.Key_Z, CTRL | Qt.KeyboardModifier.ShiftModifier)
    computed(qtbot, window)
    assert window.desk.study.elements["coldgarth-yard"].lag.typed.value == 1800.0


def test_a_number_without_a_unit_is_in_that_of_the_column(qtbot, window, sheet):
    type_in_cell(qtbot, sheet, row_of(sheet, "Hill field"), LAG, "20")
    assert window.desk.study.elements["hill-field"].lag.typed.value == 1200.0


@pytest.mark.parametrize(
    ("text", "said"),
    [
        ("many", "is not a number"),
        ("25,4", "Type 25.4"),
        ("3 ha", "measures an area, not a time"),
        ("-5", "greater than 0"),
    ],
    ids=["text in a number field", "decimal comma", "a unit of the wrong kind", "outside its range"],
)
def test_bad_input_in_a_cell_is_told_and_loses_nothing(qtbot, window, sheet, text, said):
    row = row_of(sheet, "Hill field")
    before = window.desk.study
    type_in_cell(qtbot, sheet, row, LAG, text)
    assert window.message.isVisible()
    assert said in window.message.text()
    assert window.desk.study is before


def test_a_block_is_pasted_as_one_act(qtbot, window, sheet):
    QApplication.clipboard().setText("10\n\n20\n")
    click_cell(qtbot, sheet, row_of(sheet, "Coldgarth yard"), LAG)
    qtbot.keyClick(sheet, Qt.Key.Key_V, CTRL)
    lags = [window.desk.study.elements[k].lag.value for k in ("coldgarth-yard", "hill-field")]
    assert lags == [600.0, 1200.0]
    assert window.desk.file.history.past[-1].label == "type 2 values"
    qtbot.keyClick(window, Qt.Key.Key_Z, CTRL)
    assert window.desk.study.elements["hill-field"].lag.value == 900.0


@pytest.mark.parametrize(
    ("block", "said"),
    [
        ("\t".join("1" * 12), "columns beyond"),
        ("\n".join("1" * 100_000), "rows beyond"),
        ("lag\n10", "is not a number"),
    ],
    ids=["wider than the sheet", "100,000 rows", "with a header row"],
)
def test_a_block_that_does_not_fit_types_nothing(qtbot, window, sheet, block, said):
    before = window.desk.study
    QApplication.clipboard().setText(block)
    click_cell(qtbot, sheet, row_of(sheet, "Coldgarth yard"), LAG)
    qtbot.keyClick(sheet, Qt.Key.Key_V, CTRL)
    assert said in window.message.text()
    assert window.desk.study is before


def test_filling_down_and_giving_back_are_one_act_each(qtbot, window, sheet):
    row = row_of(sheet, "Coldgarth yard")
    click_cell(qtbot, sheet, row, LAG)
    qtbot.keyClick(sheet, Qt.Key.Key_D, CTRL)
    assert window.desk.study.elements["hill-field"].lag.value == 720.0
    qtbot.keyClick(sheet, Qt.Key.Key_Delete)
    assert window.desk.study.elements["coldgarth-yard"].lag.typed is None


def test_a_block_is_copied_exact(qtbot, window, sheet):
    click_cell(qtbot, sheet, row_of(sheet, "Mill Fold"), 0)
    qtbot.keyClick(sheet, Qt.Key.Key_C, CTRL)
    area = window.desk.study.elements["mill-fold"].area.value
    assert float(QApplication.clipboard().text()) == pytest.approx(area / 1e6, rel=1e-15)


def test_the_board_is_walked_by_arrows_and_the_case_in_view_follows(qtbot, window):
    qtbot.keyClick(window, Qt.Key.Key_2, CTRL)
    board = window.benches[1].board
    assert QApplication.focusWidget() is board
    view = window.desk.view
    qtbot.keyClick(board, Qt.Key.Key_Right)
    qtbot.keyClick(board, Qt.Key.Key_Down)
    assert window.desk.view.return_period > view.return_period
    assert window.desk.view.condition == "yard-surfaced"
    assert window.bar.condition.currentText() == "Yard surfaced"
    box = board.cell(0, 0).center()
    qtbot.mouseClick(board, Qt.MouseButton.LeftButton, pos=QPoint(int(box.x()), int(box.y())))
    assert (window.desk.view.condition, window.desk.view.return_period) == ("existing", 2.0)


def test_the_flow_tree_is_walked_with_the_water(qtbot, window):
    qtbot.keyClick(window, Qt.Key.Key_2, CTRL)
    tree = window.benches[1].tree
    place = tree.place_of("hask")
    qtbot.mouseClick(tree, Qt.MouseButton.LeftButton, pos=QPoint(int(place.x()), int(place.y())))
    assert window.desk.selection == "hask"
    qtbot.keyClick(tree, Qt.Key.Key_Down)
    assert window.desk.selection == "hask-outlet"
    qtbot.keyClick(tree, Qt.Key.Key_Up)
    assert window.desk.selection == "hask"


def test_the_finder_finds_elements_and_actions_by_a_few_letters(qtbot, window):
    qtbot.keyClick(window, Qt.Key.Key_K, CTRL)
    finder = window.findChild(Finder)
    qtbot.keyClicks(finder.line, "wim")
    qtbot.keyClick(finder.line, Qt.Key.Key_Return)
    assert window.desk.selection == "wimmer"
    qtbot.keyClick(window, Qt.Key.Key_K, CTRL)
    finder = window.findChildren(Finder)[-1]
    qtbot.keyClicks(finder.line, "us cust")
    qtbot.keyClick(finder.line, Qt.Key.Key_Return)
    assert window.desk.study.units == "US"
    computed(qtbot, window)
    assert "cfs" in window.benches[0].sheet.model().headerData(PEAK, Qt.Orientation.Horizontal)


def test_f8_walks_through_stops_and_doubts(qtbot, window):
    for _ in range(4):
        qtbot.keyClick(window, Qt.Key.Key_F8)
    assert window.found.isVisible()
    assert window.found.currentRow() == 3
    qtbot.keyClick(window, Qt.Key.Key_F8, Qt.KeyboardModifier.ShiftModifier)
    assert window.found.currentRow() == 2
    while not window.desk.findings[window.found.currentRow()].element:
        qtbot.keyClick(window, Qt.Key.Key_F8)
    assert window.desk.selection == window.desk.findings[window.found.currentRow()].element
    assert "doubt" in window.counts.text()


def field(window, name):
    return next(f for f in window.ledger.findChildren(QuantityField) if f.accessibleName() == name)


def test_the_ledger_takes_a_value_and_shows_the_derived_one_beside_it(qtbot, window, sheet):
    click_cell(qtbot, sheet, row_of(sheet, "Hask"), CN)
    lag = field(window, "lag of Hask")
    lag.selectAll()
    qtbot.keyClicks(lag, "1h")
    qtbot.keyClick(lag, Qt.Key.Key_Return)
    assert window.desk.study.elements["hask"].lag.typed.value == 3600.0
    back = next(b for b in window.ledger.findChildren(QPushButton) if b.accessibleName() == "give back lag")
    qtbot.mouseClick(back, Qt.MouseButton.LeftButton)
    assert window.desk.study.elements["hask"].lag.typed is None


def test_the_ledger_keeps_what_it_cannot_read_and_says_why(qtbot, window, sheet):
    click_cell(qtbot, sheet, row_of(sheet, "Hask"), CN)
    lag = field(window, "lag of Hask")
    lag.selectAll()
    qtbot.keyClicks(lag, "soon")
    qtbot.keyClick(lag, Qt.Key.Key_Return)
    assert lag.text() == "soon"
    assert "is not a number" in window.ledger._message.text()
    qtbot.keyClick(lag, Qt.Key.Key_Escape)
    assert lag.text() == "47.73"


def test_a_mark_opens_the_reckoning(qtbot, window, sheet):
    click_cell(qtbot, sheet, row_of(sheet, "Hask"), CN)
    mark = next(b for b in window.ledger.findChildren(QPushButton) if b.accessibleName() == "reckoning of lag")
    qtbot.mouseClick(mark, Qt.MouseButton.LeftButton)
    told = " ".join(w.text() for w in window.ledger.findChildren(QWidget) if hasattr(w, "text") and callable(w.text))
    assert "734.4" in told


def test_a_figure_of_the_case_can_be_asked_where_it_came_from(qtbot, window, sheet):
    click_cell(qtbot, sheet, row_of(sheet, "Hask"), CN)
    mark = next(
        b for b in window.ledger.findChildren(QPushButton) if b.accessibleName() == "reckoning of share of rain"
    )
    qtbot.mouseClick(mark, Qt.MouseButton.LeftButton)
    told = " ".join(w.text() for w in window.ledger.findChildren(QWidget) if hasattr(w, "text") and callable(w.text))
    assert "R/P = R / P" in told
    assert "areal reduction" in told


def test_four_numbers_give_a_peak_without_a_map(qtbot, open_window, rained_on):
    window = open_window(rained_on)
    sheet = window.benches[0].sheet
    assert "none yet" in window.benches[0]._head.text()
    qtbot.keyClick(window, Qt.Key.Key_Insert)
    assert window.desk.study.links["catchment-1-to-bridge"].down == "bridge"
    for column, text in ((0, "3"), (CN, "75"), (LAG, "45 min")):
        type_in_cell(qtbot, sheet, 0, column, f"{text} km2" if column == 0 else text)
        assert not window.message.text()
        assert shown(sheet, 0, column)
    computed(qtbot, window)
    assert float(shown(sheet, 0, PEAK)) == pytest.approx(12.99, rel=0.01)


def test_an_edit_while_computing_supersedes_it(qtbot, window, sheet):
    row = row_of(sheet, "Hill field")
    for minutes in ("18", "19", "21"):
        type_in_cell(qtbot, sheet, row, LAG, minutes)
    computed(qtbot, window)
    assert window.desk.results.study is window.desk.study
    assert window.desk.study.elements["hill-field"].lag.value == 1260.0


def test_closing_while_computing_is_safe(qtbot, window, sheet):
    path = window.desk.file.path
    type_in_cell(qtbot, sheet, row_of(sheet, "Hill field"), LAG, "23")
    window.close()
    from tarnwater.study.store import read_study

    assert read_study(path)[0].elements["hill-field"].lag.value == 1380.0


def test_a_fault_while_computing_is_told_and_the_study_is_whole(qtbot, window, sheet, monkeypatch):
    def broken(*_, **__):
        raise ZeroDivisionError("made for this test")

    monkeypatch.setattr("tarnwater.desk.desk.compute_cases", broken)
    type_in_cell(qtbot, sheet, row_of(sheet, "Hill field"), LAG, "24")
    computed(qtbot, window)
    assert "A fault of the program" in window.message.text()
    assert window.desk.study.elements["hill-field"].lag.value == 1440.0


def test_every_control_that_takes_keys_has_a_name(window):
    for bench in range(2):
        window.go_to(bench)
        for widget in window.findChildren(QWidget):
            takes = widget.focusPolicy() & Qt.FocusPolicy.TabFocus
            own = not widget.objectName().startswith("qt_") and type(widget).__module__.startswith("tarnwater")
            if takes and widget.isVisible() and (own or isinstance(widget, QPushButton)):
                assert widget.accessibleName(), widget


@pytest.mark.parametrize("theme", [LIGHT, DARK], ids=["light", "dark"])
@pytest.mark.parametrize("size", [(1280, 800), (1920, 1080), (1024, 700)])
@pytest.mark.parametrize("system", ["SI", "US"])
def test_no_label_is_cut(qtbot, open_window, demo, theme, size, system):
    study = edits.set_study(demo[0], "units", system)
    window = open_window(study, demo[1], theme)
    window.resize(*size)
    for bench in range(2):
        window.go_to(bench)
        qtbot.wait(20)
        assert window.width() == size[0]
        for label in window.findChildren(QWidget):
            if hasattr(label, "text") and hasattr(label, "wordWrap") and label.isVisible() and label.text():
                wanted = label.sizeHint() if not label.wordWrap() else None
                if wanted is not None:
                    assert label.width() >= wanted.width() - 1, label.text()
        image = window.grab().toImage()
        bits = image.convertToFormat(image.Format.Format_RGB888).constBits()
        bits.setsize(image.width() * image.height() * 3)
        assert len(np.unique(np.frombuffer(bits, np.uint8))) > 20


def test_light_turns_to_dark_by_a_key(qtbot, window):
    before = window.grab().toImage().pixelColor(640, 790)
    qtbot.keyClick(window, Qt.Key.Key_F9)
    after = window.grab().toImage().pixelColor(640, 790)
    assert before.lightness() > 200
    assert after.lightness() < 60


def dialog(qtbot, window, kind):
    qtbot.waitUntil(lambda: any(d.isVisible() for d in window.findChildren(kind)))
    return next(d for d in window.findChildren(kind) if d.isVisible())


def test_an_element_is_renamed_by_f2(qtbot, window, sheet):
    click_cell(qtbot, sheet, row_of(sheet, "Hask"), CN)
    QTimer.singleShot(0, lambda: answer(qtbot, dialog(qtbot, window, QInputDialog), "Hask Head"))
    qtbot.keyClick(window, Qt.Key.Key_F2)
    assert window.desk.study.elements["hask"].name == "Hask Head"
    assert row_of(sheet, "Hask Head") >= 0


def answer(qtbot, asked, text):
    line = asked.findChild(QLineEdit)
    qtbot.keyClick(line, Qt.Key.Key_A, CTRL)
    qtbot.keyClicks(line, text)
    qtbot.keyClick(line, Qt.Key.Key_Return)


def test_ctrl_s_offers_a_named_point(qtbot, window):
    QTimer.singleShot(0, lambda: answer(qtbot, dialog(qtbot, window, QInputDialog), "as surveyed"))
    qtbot.keyClick(window, Qt.Key.Key_S, CTRL)
    assert "as surveyed" in window.desk.file.history.points


def find_and_do(qtbot, window, letters):
    qtbot.keyClick(window, Qt.Key.Key_K, CTRL)
    finder = dialog(qtbot, window, Finder)
    qtbot.keyClicks(finder.line, letters)
    qtbot.keyClick(finder.line, Qt.Key.Key_Return)
    # a window manager would give the keys back to the window
    with qtbot.waitActive(window):
        window.activateWindow()


def test_a_locked_study_says_so_when_typed_into(qtbot, window, sheet):
    find_and_do(qtbot, window, "lock")
    assert window.desk.study.locked
    type_in_cell(qtbot, sheet, row_of(sheet, "Hill field"), LAG, "20")
    assert "the study is locked" in window.message.text()
    find_and_do(qtbot, window, "unlock")
    assert not window.desk.study.locked


def test_the_selected_element_is_removed_and_comes_back_by_undo(qtbot, window, sheet):
    click_cell(qtbot, sheet, row_of(sheet, "Wimmer"), CN)
    qtbot.keyClick(window, Qt.Key.Key_Delete, CTRL)
    computed(qtbot, window)
    assert "wimmer" not in window.desk.study.elements
    qtbot.keyClick(window, Qt.Key.Key_Z, CTRL)
    computed(qtbot, window)
    assert "wimmer" in window.desk.study.elements
    assert shown(sheet, row_of(sheet, "Wimmer"), PEAK)


def test_a_storm_is_found_and_put_in_view(qtbot, window):
    find_and_do(qtbot, window, "1 in 200 6")
    assert (window.desk.view.return_period, window.desk.view.duration) == (200.0, 6 * 3600.0)
    assert window.bar.duration.currentText() == "6 h"


def test_a_study_that_cannot_be_computed_says_why_on_every_bench(qtbot, open_window, rained_on):
    study = edits.add_draining(rained_on, Catchment(name="Bare"))
    window = open_window(study)
    assert "stop" in window.counts.text()
    assert window.benches[0].state() == ("3 stops", "limit")
    qtbot.keyClick(window, Qt.Key.Key_2, CTRL)
    assert "missing" in window.benches[1].plot._title.text()


def test_sorting_keeps_the_selection_with_its_element(qtbot, window, sheet):
    click_cell(qtbot, sheet, row_of(sheet, "Hask"), CN)
    head = sheet.horizontalHeader()
    place = QPoint(head.sectionPosition(0) + head.sectionSize(0) // 2, head.height() // 2)
    qtbot.mouseClick(head.viewport(), Qt.MouseButton.LeftButton, pos=place)
    areas = [sheet.model().value(k, 0) for k in sheet.model().keys]
    assert areas in (sorted(areas), sorted(areas, reverse=True))
    assert window.desk.selection == "hask"
    assert sheet.currentIndex().row() == row_of(sheet, "Hask")
