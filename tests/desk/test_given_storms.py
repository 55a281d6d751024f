"""A study of recorded storms only, in the window."""

import pytest
from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QApplication, QComboBox
from tests.desk.conftest import CASES, CTRL, RAIN, RUNOFF, Hand

from tarnwater.network.elements import Catchment, Outfall, Surface
from tarnwater.rain.given import RecordedStorm, TypedStorm
from tarnwater.runoff.losses import CurveNumber
from tarnwater.study import edits
from tarnwater.study.document import Study
from tarnwater.study.file.store import read_study

UP, DOWN = (1.0, 4.0, 9.0, 14.0, 8.0, 3.0), (0.0, 2.0, 12.0, 20.0, 6.0, 2.0)


def recorded_study():
    study = Study(title="Recorded")
    for end in ("Bridge", "Mill"):
        study = edits.add_element(study, Outfall(name=end))
    for name, area, lag, into in (
        ("Upper", 3e6, 3000.0, "bridge"),
        ("Lower", 1e6, 1500.0, "bridge"),
        ("Side", 2e6, 2000.0, "mill"),
    ):
        soil = (Surface(share=1.0, loss=CurveNumber(curve_number=80.0)),)
        study = edits.add_draining(study, Catchment(name=name, area=area, lag=lag, surfaces=soil), into=into)
    rain = {"upper": UP, "lower": DOWN, "side": DOWN}
    may = RecordedStorm(name="May", step=900.0, origin="2031-05-12T20:00:00+01:00", rain=rain)
    after = RecordedStorm(name="The day after", step=900.0, origin="2031-05-13T20:00:00+01:00", rain=rain, after="may")
    for key, storm in (("may", may), ("after", after), ("typed", TypedStorm(name="Typed", step=600.0, depths=UP))):
        study = edits.set_storm(study, key, storm)
    return study


@pytest.fixture
def hand(qtbot, open_window):
    hand = Hand(qtbot, open_window(recorded_study()))
    hand.settle()
    return hand


def peak_in_ledger(hand):
    return hand.desk.case_showing(hand.desk.selection).peak(hand.desk.selection).ordinate


def test_the_board_has_a_column_for_each_storm_and_keys_walk_them(hand):
    bench = hand.bench(CASES)
    assert bench.board.events == ["may", "after", "typed"]
    seen = set()
    for _ in bench.board.events:
        seen.add(hand.desk.view.event)
        hand.key(Qt.Key.Key_Left, on=bench.board)
    assert hand.desk.view.event == "may"
    assert bench.board.cell_in_view == bench.board.cell(0, 0)
    hand.key(Qt.Key.Key_Right, on=bench.board)
    assert hand.desk.view.event == "after"
    assert hand.named("Event in view", QComboBox).currentText() == "The day after"
    hand.key(Qt.Key.Key_C, CTRL, on=bench.board)
    head, *rows = [line.split("\t") for line in QApplication.clipboard().text().splitlines()]
    assert [row[head.index("storm")] for row in rows] == ["May", "The day after", "Typed"]
    assert [row[head.index("1 in")] for row in rows] == ["", "", ""]


def test_an_event_is_found_by_its_name(hand):
    hand.find("typed storm")
    assert hand.desk.view.event in ("typed", "may", "after")
    hand.find("the day after")
    assert hand.desk.view.event == "after"


def test_a_catchment_of_another_outfall_is_never_blank(hand):
    bench = hand.bench(CASES)
    hand.find("side")
    assert hand.desk.view.point == "bridge"
    assert "made for Mill" in bench.plot.plot.title
    assert bench.tree._case.case.point == "mill"
    assert "made for Mill" in hand.window.ledger._case.text()
    hand.key(Qt.Key.Key_P, CTRL, on=hand.window)
    (pin,) = hand.window.pins.views
    assert "made for Mill" in pin._case.text()
    assert pin.plot.plot is not None
    # the land above the design point in view is told, not that of the other outfall
    assert "4.000 km²" in bench._unit.text()
    runoff = hand.bench(RUNOFF)
    assert "made for Mill" in runoff._of.text()
    assert runoff.rain.plot is not None
    column = next(n for n, c in enumerate(runoff.catchments.columns) if c.title == "storm made for")
    told = [runoff.catchments.index(row, column).data() for row in range(3)]
    assert told == ["Bridge", "Bridge", "Mill"]


def test_axes_show_dates_and_the_cursor_reads_one_off(hand):
    bench = hand.bench(CASES)
    hand.find("bridge")
    while hand.desk.view.event != "may":
        hand.key(Qt.Key.Key_Left, on=bench.board)
    axis = bench.plot._area.getAxis("bottom")
    assert axis.labelText == "from 12 May 2031, UTC+01:00"
    low, high = bench.plot._area.getViewBox().viewRange()[0]
    words = axis.tickStrings(axis.tickValues(low, high, 400)[0][1], 1.0, 1.0)
    assert "13 May" in words
    hand.key(Qt.Key.Key_Right, on=bench.plot)
    assert "12 May 2031 " in bench.plot.caption.text()
    while hand.desk.view.event != "typed":
        hand.key(Qt.Key.Key_Right, on=bench.board)
    assert axis.labelText.startswith("time")


def test_the_rain_bench_shows_the_storm_in_view(hand):
    cases, rain = hand.bench(CASES), None
    while hand.desk.view.event != "may":
        hand.key(Qt.Key.Key_Left, on=cases.board)
    hand.find("lower")
    rain = hand.bench(RAIN)
    plot = rain.storm.plot
    assert plot.title.startswith("May · 42.00 mm on Lower")
    assert plot.x.origin.isoformat() == "2031-05-12T20:00:00+01:00"


def test_an_edit_undo_redo_and_reopening_keep_the_event_in_view(hand, qtbot):
    bench = hand.bench(CASES)
    hand.find("lower")
    while hand.desk.view.event != "after":
        hand.key(Qt.Key.Key_Right, on=bench.board)
    before = peak_in_ledger(hand)
    hand.fill(hand.named("curve number of Lower"), "90")
    hand.settle()
    assert hand.desk.view.event == "after"
    assert peak_in_ledger(hand) > before
    hand.key(Qt.Key.Key_Z, CTRL, on=hand.window)
    hand.settle()
    assert peak_in_ledger(hand) == before
    file = hand.desk.file.path
    hand.window.close()
    assert read_study(file)[0].storms == hand.desk.study.storms


def test_every_figure_is_explained_where_it_stands(hand):
    hand.bench(CASES)
    hand.find("bridge")
    for figure in ("peak", "volume", "rain depth", "runoff depth", "share of rain"):
        hand.window.ledger.ask(figure)
        hand.bot.wait(20)
        assert any(row.answer is not None for row in hand.window.ledger._rows.values()), figure
        hand.window.ledger.ask(figure)
