"""The Runoff bench: the sheets, typed, pasted, filled, filtered and sorted by mouse and keys."""

import time

import pytest
from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtWidgets import QApplication

from tarnwater.desk.benches.runoff.times_dialog import TimesDialog
from tarnwater.desk.benches.states import runoff_state
from tarnwater.network.elements import Catchment
from tarnwater.study import edits

from .conftest import CASES, CTRL, RUNOFF, SHIFT, Hand

AREA, CN, LAG, PEAK = 0, 1, 2, 6


@pytest.fixture
def sheet(window):
    return window.bench.sheet


def shown(sheet, row, column):
    return sheet.model().index(row, column).data()


def row_of(sheet, name):
    model = sheet.model()
    return next(r for r in range(model.rowCount()) if model.headerData(r, Qt.Orientation.Vertical) == name)


def column_of(sheet, title):
    return next(n for n, one in enumerate(sheet.model().columns) if one.title == title)


def test_the_sheet_shows_a_peak_with_what_stands_beside_it(window, sheet):
    row = row_of(sheet, "Mill Fold")
    case = window.desk.case_in_view()
    assert float(shown(sheet, row, PEAK)) == pytest.approx(case.peak("mill-fold").ordinate, rel=1e-3)
    assert all(shown(sheet, row, c) for c in range(PEAK, PEAK + 4))
    assert sheet.model().headerData(PEAK, Qt.Orientation.Horizontal) == "peak\nm³/s"


def test_a_click_selects_an_element_everywhere(hand, sheet):
    hand.click_cell(sheet, row_of(sheet, "Wimmer"), CN)
    assert hand.desk.selection == "wimmer"
    assert hand.named("area of Wimmer")
    assert hand.window.bench.flow.plot.title.startswith("Wimmer")


def test_an_edit_is_typed_computed_undone_and_done_again_by_keys(hand, sheet):
    row = row_of(sheet, "Coldgarth yard")
    before = shown(sheet, row, PEAK)
    hand.type_in_cell(sheet, row, LAG, "30 min")
    hand.settle()
    assert hand.desk.study.elements["coldgarth-yard"].lag.typed.value == 1800.0
    assert float(shown(sheet, row, PEAK)) < float(before)
    assert hand.window.bench.flow.plot.curves[0].label == "before the edit"
    hand.key(Qt.Key.Key_Z, CTRL, on=hand.window)
    hand.settle()
    assert shown(sheet, row, PEAK) == before
    hand.key(Qt.Key.Key_Z, CTRL | SHIFT, on=hand.window)
    hand.settle()
    assert hand.desk.study.elements["coldgarth-yard"].lag.typed.value == 1800.0


def test_a_number_without_a_unit_is_in_that_of_the_column(hand, sheet):
    hand.type_in_cell(sheet, row_of(sheet, "Hill field"), LAG, "20")
    assert hand.desk.study.elements["hill-field"].lag.typed.value == 1200.0


@pytest.mark.parametrize(
    ("text", "value"), [("1e3", 60_000.0), ("15 min", 900.0), ("0.5 h", 1800.0), ("1h30", 5400.0)], ids=str
)
def test_what_is_typed_is_understood(hand, sheet, text, value):
    hand.type_in_cell(sheet, row_of(sheet, "Mill Fold"), LAG, text)
    assert hand.desk.study.elements["mill-fold"].lag.typed.value == value


@pytest.mark.parametrize(
    ("text", "said"),
    [
        ("many", "is not a number"),
        ("25,400", "Type 25.400"),
        ("3 ha", "measures an area, not a time"),
        ("-5", "at least 1 s"),
        ("", "nothing was typed"),
    ],
    ids=["text in a number field", "25,400", "a unit of the wrong kind", "a value outside its range", "an empty cell"],
)
def test_bad_input_in_a_cell_is_told_and_loses_nothing(hand, sheet, text, said):
    before = hand.desk.study
    hand.click_cell(sheet, row_of(sheet, "Hill field"), LAG)
    hand.key(Qt.Key.Key_Return, on=sheet)
    editor = QApplication.focusWidget()
    hand.key(Qt.Key.Key_A, CTRL, on=editor)
    hand.key(Qt.Key.Key_Backspace, on=editor)
    hand.write(text, on=editor)
    hand.key(Qt.Key.Key_Return, on=editor)
    hand.bot.wait(10)
    assert hand.window.message.isVisible()
    assert said in hand.window.message.text()
    assert hand.desk.study is before
    cell = sheet.model().cell("hill-field", LAG)
    assert (cell.refused, cell.text) == (True, text or "(empty)")
    assert said in cell.words
    # another try that fails stands there in its place
    hand.type_in_cell(sheet, row_of(sheet, "Hill field"), LAG, "neither")
    assert sheet.model().cell("hill-field", LAG).text == "neither"
    hand.type_in_cell(sheet, row_of(sheet, "Hill field"), LAG, text or " ")
    cell = sheet.model().cell("hill-field", LAG)
    # it stays while the study is edited elsewhere, and Delete gives the value back
    hand.type_in_cell(sheet, row_of(sheet, "Hask"), LAG, "40")
    assert shown(sheet, row_of(sheet, "Hill field"), LAG) == cell.text
    hand.click_cell(sheet, row_of(sheet, "Hill field"), LAG)
    hand.key(Qt.Key.Key_Delete, on=sheet)
    assert shown(sheet, row_of(sheet, "Hill field"), LAG) == "15.00"


def test_enter_goes_on_to_the_cell_below(hand, sheet):
    hand.click_cell(sheet, row_of(sheet, "Coldgarth yard"), LAG)
    for minutes in ("10", "20"):
        hand.write(minutes)
        hand.key(Qt.Key.Key_Return)
        hand.bot.wait(10)
    lags = [hand.desk.study.elements[k].lag.value for k in ("coldgarth-yard", "hill-field")]
    assert lags == [600.0, 1200.0]


def test_a_column_that_is_typed_in_keeps_its_unit(qtbot, open_window, rained_on):
    hand = Hand(qtbot, open_window(rained_on))
    sheet = hand.bench(RUNOFF).sheet
    for number, area in enumerate(("0.5", "0.04")):
        hand.key(Qt.Key.Key_Insert, on=hand.window)
        hand.type_in_cell(sheet, number, AREA, area)
    areas = [e.area.value for e in hand.desk.study.catchments.values()]
    assert areas == [500_000.0, 40_000.0]
    assert sheet.model().unit(AREA) == "km²"


def test_results_that_arrive_leave_an_open_cell_alone(hand, sheet):
    hand.type_in_cell(sheet, row_of(sheet, "Hill field"), LAG, "20")
    hand.click_cell(sheet, row_of(sheet, "Hask"), LAG)
    hand.key(Qt.Key.Key_Return, on=sheet)
    editor = QApplication.focusWidget()
    hand.key(Qt.Key.Key_A, CTRL, on=editor)
    hand.write("55", on=editor)
    hand.settle()
    assert editor.text() == "55"
    hand.key(Qt.Key.Key_Return, on=editor)
    hand.bot.wait(10)
    assert hand.desk.study.elements["hask"].lag.typed.value == 3300.0


def test_a_block_is_pasted_as_one_act_its_blank_lines_left_out(hand, sheet):
    QApplication.clipboard().setText("10\n\n20\n")
    hand.click_cell(sheet, row_of(sheet, "Coldgarth yard"), LAG)
    hand.key(Qt.Key.Key_V, CTRL, on=sheet)
    lags = [hand.desk.study.elements[k].lag.value for k in ("coldgarth-yard", "hill-field")]
    assert lags == [600.0, 1200.0]
    assert hand.desk.file.history.past[-1].label == "type 2 values"
    hand.key(Qt.Key.Key_Z, CTRL, on=hand.window)
    assert hand.desk.study.elements["hill-field"].lag.value == 900.0


def test_header_rows_of_a_pasted_block_are_left_out_and_told(hand, sheet):
    QApplication.clipboard().setText("lag\nin minutes\n10\n20")
    hand.click_cell(sheet, row_of(sheet, "Coldgarth yard"), LAG)
    hand.key(Qt.Key.Key_V, CTRL, on=sheet)
    assert hand.desk.study.elements["coldgarth-yard"].lag.value == 600.0
    assert "2 rows of the pasted block hold no number" in hand.window.message.text()


@pytest.mark.parametrize(
    ("block", "said"),
    [("\t".join("1" * 12), "columns beyond"), ("\n".join("1" * 100_000), "rows beyond"), ("10\nsoon", "not a number")],
    ids=["a pasted block wider than the sheet", "100,000 rows", "text in a number field"],
)
def test_a_block_that_does_not_fit_types_nothing(hand, sheet, block, said):
    before = hand.desk.study
    QApplication.clipboard().setText(block)
    hand.click_cell(sheet, row_of(sheet, "Coldgarth yard"), LAG)
    hand.key(Qt.Key.Key_V, CTRL, on=sheet)
    assert said in hand.window.message.text()
    assert hand.desk.study is before


def test_filling_down_setting_a_column_and_giving_back_are_one_act_each(hand, sheet):
    row = row_of(sheet, "Coldgarth yard")
    hand.click_cell(sheet, row, LAG)
    hand.key(Qt.Key.Key_D, CTRL, on=sheet)
    assert hand.desk.study.elements["hill-field"].lag.value == 720.0
    acts = len(hand.desk.file.history.past)
    hand.key(Qt.Key.Key_D, CTRL | SHIFT, on=sheet)
    assert {c.lag.value for c in hand.desk.study.catchments.values()} == {720.0}
    assert len(hand.desk.file.history.past) == acts + 1
    hand.key(Qt.Key.Key_Delete, on=sheet)
    assert hand.desk.study.elements["coldgarth-yard"].lag.typed is None


def test_a_block_is_copied_exact(hand, sheet):
    hand.click_cell(sheet, row_of(sheet, "Mill Fold"), AREA)
    hand.key(Qt.Key.Key_C, CTRL, on=sheet)
    area = hand.desk.study.elements["mill-fold"].area.value
    assert float(QApplication.clipboard().text()) == pytest.approx(area / 1e6, rel=1e-15)


def test_the_filter_shows_only_names_with_its_words(hand, sheet):
    hand.click(hand.window.bench.filter)
    hand.write("sallow", on=hand.window.bench.filter)
    assert [hand.desk.study.name_of(k) for k in sheet.model().keys] == ["Sallow Tarn", "Sallow Head"]
    hand.key(Qt.Key.Key_A, CTRL, on=hand.window.bench.filter)
    hand.key(Qt.Key.Key_Delete, on=hand.window.bench.filter)
    assert sheet.model().rowCount() == 8


def test_cells_carry_marks_with_their_words(hand, sheet):
    from tarnwater.desk.widgets.sheet import MARK_ROLE

    row = row_of(sheet, "Hill field")
    index = sheet.model().index(row, LAG)
    assert index.data(MARK_ROLE) == "■"
    assert "typed; kept" in index.data(Qt.ItemDataRole.ToolTipRole)
    assert sheet.model().index(row_of(sheet, "Hask"), LAG).data(MARK_ROLE) == ""


def test_sorting_keeps_the_selection_with_its_element(hand, sheet):
    hand.click_cell(sheet, row_of(sheet, "Hask"), CN)
    head = sheet.horizontalHeader()
    place = QPoint(head.sectionPosition(0) + head.sectionSize(0) // 2, head.height() // 2)
    hand.click(head.viewport(), place)
    areas = [sheet.model().value(k, 0) for k in sheet.model().keys]
    assert areas in (sorted(areas), sorted(areas, reverse=True))
    assert hand.desk.selection == "hask"
    assert sheet.currentIndex().row() == row_of(sheet, "Hask")


def test_four_numbers_give_a_peak_without_a_map(qtbot, open_window, rained_on):
    hand = Hand(qtbot, open_window(rained_on))
    sheet = hand.bench(RUNOFF).sheet
    assert "none yet" in hand.window.bench._head.text()
    hand.key(Qt.Key.Key_Insert, on=hand.window)
    assert hand.desk.study.links["catchment-1-to-bridge"].down == "bridge"
    for column, text in ((AREA, "3 km2"), (CN, "75"), (LAG, "45 min")):
        hand.type_in_cell(sheet, 0, column, text)
        assert not hand.window.message.text()
    hand.settle()
    assert float(shown(sheet, 0, column_of(sheet, "peak"))) == pytest.approx(9.57, rel=0.01)


def test_an_edit_while_computing_supersedes_it(hand, sheet):
    row = row_of(sheet, "Hill field")
    for minutes in ("18", "19", "21"):
        hand.type_in_cell(sheet, row, LAG, minutes)
    hand.settle()
    assert hand.desk.results.study is hand.desk.study
    assert hand.desk.study.elements["hill-field"].lag.value == 1260.0


def test_results_of_a_study_that_is_gone_are_not_shown(hand, sheet):
    stale = hand.desk.results
    hand.type_in_cell(sheet, row_of(sheet, "Hill field"), LAG, "21")
    hand.settle()
    shown = hand.desk.results
    assert shown is not stale
    # a thread that was too late to be stopped
    hand.desk._computed((stale, []))
    assert hand.desk.results is shown
    assert hand.desk.results.study is hand.desk.study


def test_plots_are_copied_as_data_and_saved_as_png_and_svg(hand, tmp_path):
    flow = hand.window.bench.flow
    hand.click(flow)
    flow.setFocus()
    hand.key(Qt.Key.Key_C, CTRL, on=flow)
    rows = [line.split("\t") for line in QApplication.clipboard().text().splitlines()]
    assert rows[0] == [flow.plot.title]
    assert len(rows) > 500
    for name, begins in (("flow.png", b"\x89PNG"), ("flow.svg", b"<?xml")):
        flow.save(tmp_path / name)
        assert (tmp_path / name).read_bytes().startswith(begins)
    flow.save(tmp_path / "none" / "flow.png")
    assert "could not be saved" in flow.caption.text()


def test_a_plot_is_read_off_by_arrows(hand):
    flow = hand.window.bench.flow
    flow.setFocus()
    for _ in range(3):
        hand.key(Qt.Key.Key_Right, on=flow)
    at = flow._at
    (_, value), *_ = flow.plot.at(at)
    assert f"{value:.4g}"[:4] in flow.caption.text()


def test_a_study_that_cannot_be_computed_says_why_on_every_bench(qtbot, open_window, rained_on):
    hand = Hand(qtbot, open_window(edits.add_draining(rained_on, Catchment(name="Bare"))))
    assert "stop" in hand.window.counts.text()
    hand.bench(RUNOFF)
    assert runoff_state(hand.desk) == ("3 stops", "limit")
    assert "missing" in hand.bench(CASES).empty.words.text()


def test_times_are_compared_by_every_equation_and_one_is_chosen(hand):
    hand.bench(RUNOFF)
    hand.find("hask")
    before = hand.desk.study
    hand.key(Qt.Key.Key_T, CTRL | SHIFT, on=hand.window)
    asked = hand.dialog(TimesDialog)
    titles = [row.kind.title for row in asked.rows]
    assert titles[:3] == ["NRCS lag equation", "Kirpich equation", "Bransby-Williams equation"]
    assert asked.rows[0].chosen
    assert "above" in asked.rows[1].outside
    hand.key(Qt.Key.Key_Down, on=asked.list)
    hand.key(Qt.Key.Key_Down, on=asked.list)
    assert "Bransby" in asked.told.text()
    hand.key(Qt.Key.Key_Return, on=asked.list)
    hand.settle()
    hask = hand.desk.study.elements["hask"]
    assert hask.timing.tag() == "bransby-williams"
    assert hask.concentration.value == pytest.approx(asked.rows[2].concentration)
    hand.back()
    # a formula is asked for first, and one that is none is told
    hand.click(hand.window.bench.times)
    asked = hand.dialog(TimesDialog)
    row = next(n for n, r in enumerate(asked.rows) if r.kind.tag() == "formula")
    for _ in range(row):
        hand.key(Qt.Key.Key_Down, on=asked.list)
    hand.answer_line("L + Q")
    hand.key(Qt.Key.Key_Return, on=asked.list)
    assert "has no “Q”" in asked.told.text()
    hand.answer_line("0.4 * L^0.7")
    hand.key(Qt.Key.Key_Return, on=asked.list)
    hand.settle()
    assert hand.desk.study.elements["hask"].timing.formula == "0.4 * L^0.7"
    hand.back()
    for _ in range(2):
        hand.key(Qt.Key.Key_Z, CTRL, on=hand.window)
    hand.settle()
    assert hand.desk.study == before


def test_losses_and_convolution_open_step_by_step_and_are_copied(hand):
    from tarnwater.desk.benches.runoff.steps_dialog import StepsDialog

    hand.find("coldgarth yard")
    hand.settle()
    hand.key(Qt.Key.Key_L, CTRL | SHIFT, on=hand.window)
    dialog = hand.dialog(StepsDialog)
    model = dialog.view.model()
    assert model.headerData(0, Qt.Orientation.Horizontal).startswith("rain\n")
    rows = [[float(model.text(row, column)) for column in (0, 2, 3)] for row in range(model.rowCount())]
    # four digits are shown
    assert all(rain == pytest.approx(loss + excess, rel=2e-3, abs=2e-3) for rain, loss, excess in rows)
    hand.key(Qt.Key.Key_A, CTRL, on=dialog.view)
    hand.key(Qt.Key.Key_C, CTRL, on=dialog.view)
    assert len(QApplication.clipboard().text().splitlines()) == model.rowCount()
    dialog.which.setFocus()
    begun = time.perf_counter()
    hand.key(Qt.Key.Key_Down, on=dialog.which)
    # hundreds of pulses in hundreds of rows are worked out as they are seen, of which a few hundred cells are
    assert time.perf_counter() - begun < 1.5
    model = dialog.view.model()
    assert model.columnCount() > 250
    first = dialog.view.indexAt(QPoint(5, 5)).row()
    assert float(model.text(first, 0)) > 0
    assert first == 0 or float(model.text(first - 1, 0)) == 0
    heads = [model.headerData(n, Qt.Orientation.Horizontal).split("\n")[0] for n in range(4)]
    assert heads[:3] == ["excess", "unit hydrograph per mm", "direct runoff"]
    assert heads[3].startswith("from ")
    hand.key(Qt.Key.Key_Escape, on=dialog)
