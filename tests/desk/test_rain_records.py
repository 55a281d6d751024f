"""Records on the Rain bench by mouse and keys: imported, mended, fitted, made into depths and storms."""

from datetime import UTC, datetime, timedelta
from itertools import pairwise

import numpy as np
import pytest
from PyQt6.QtCore import QPoint, QPointF, Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import (
    QApplication,
    QCheckBox,
    QComboBox,
    QLineEdit,
    QMenu,
    QPushButton,
    QSlider,
    QSpinBox,
    QTableWidget,
)

from tarnwater.demo.study import data_path
from tarnwater.desk.benches.rain.areal_dialog import ArealDialog
from tarnwater.desk.benches.rain.equation_dialog import FittedEquation, TypedEquation
from tarnwater.desk.benches.rain.import_record import ImportRecord
from tarnwater.desk.benches.rain.pattern_dialog import PatternDialog
from tarnwater.desk.benches.rain.service_dialog import ServiceDialog
from tarnwater.desk.benches.rain.storm_dialog import StormDialog
from tarnwater.desk.meanings import meaning_of
from tarnwater.desk.widgets.record_view import Levels, RecordView
from tarnwater.formats.waterml import read_waterml
from tarnwater.rain.depth_equation import DepthEquation
from tarnwater.rain.records import Record
from tarnwater.study.file.kept_rain import read_kept_rain
from tarnwater.study.rain.records import mended_of, record_of
from tarnwater.study.reckonings import explain

from .conftest import CASES, CTRL, RAIN, RUNOFF

STORMS, RECORDS, MAXIMA, EVENTS, CATCHMENTS = range(5)


@pytest.fixture
def rain(hand):
    return hand.bench(RAIN)


def page(hand, bench, number):
    """Turn to a page by its tab, and wait for what it shows."""
    hand.click(bench._tabs[number])
    hand.settle()
    return bench._pages.currentWidget()


def press(hand, dialog, words):
    hand.click(next(b for b in dialog.findChildren(QPushButton) if b.text() == words))
    hand.settle()


def choose(hand, box, words):
    """Choose an entry of a box by keys."""
    assert isinstance(box, QComboBox)
    box.setFocus()
    hand.key(Qt.Key.Key_Home, on=box)
    for _ in range(box.count()):
        if box.currentText() == words:
            break
        hand.key(Qt.Key.Key_Down, on=box)
    assert box.currentText() == words
    hand.settle()


def flawed(folder, years=12):
    """Hourly rain with decimal commas and days first; a spike, a gap, and a row written twice with another value."""
    rng = np.random.default_rng(5)
    begin, count = datetime(2005, 1, 1, tzinfo=UTC), 8766 * years
    values = np.where(rng.random(count) < 0.1, rng.gamma(0.6, 1.3, count), 0.0)
    for year in range(years):
        at = 8766 * year + 6500
        values[at : at + 5] += rng.gumbel(10, 3) * np.array([0.5, 1.2, 1.6, 0.9, 0.3])
    values[40_000], values[39_999], values[40_001] = 71.0, 0.0, 0.0
    rows = [f"{begin + timedelta(hours=n + 1):%d/%m/%Y %H:%M};{v:.1f}".replace(".", ",") for n, v in enumerate(values)]
    rows.insert(20_001, rows[20_000].split(";")[0] + ";9,9")
    del rows[60_000:60_030]
    path = folder / "meadow.csv"
    path.write_text("Zeit;Regen (mm)\n" + "\n".join(rows) + "\n", encoding="latin-1")
    return path


def import_file(hand, records, path):
    """Import a record by the button, the file dialog and the preview."""
    hand.answer_file(path)
    hand.click(
        records.import_button
        if records.import_button.isVisible()
        else hand.named("Import a first record", among=records)
    )
    return hand.dialog(ImportRecord)


def test_an_empty_bench_says_what_to_bring(empty):
    bench = empty.bench(RAIN)
    records = page(empty, bench, RECORDS)
    assert "No record yet" in records._empty.words.text()
    for number in (MAXIMA, EVENTS):
        assert "Records" in page(empty, bench, number)._empty.text()
    assert "No record" in page(empty, bench, CATCHMENTS)._told.text()


def test_a_flawed_gauge_becomes_storms_that_a_case_uses(empty, tmp_path):
    """Imported, mended, fitted, made into a family; the depth of a storm says where it came from."""
    path = flawed(tmp_path)
    bench = empty.bench(RAIN)
    records = page(empty, bench, RECORDS)
    asked = import_file(empty, records, path)
    assert (asked.order.currentText(), asked.decimal.currentData(), asked.delimiter.currentData()) == (
        "day first",
        ",",
        ";",
    )
    assert asked.table.item(2, 0).text().startswith("2005-01-01 01:00:00")
    press(empty, asked, "Import")
    study = empty.desk.study
    assert list(study.gauges) == ["meadow"]
    assert [row.what for row in records.rows if row.open] == ["repeated time", "spike", "gap"]
    # the spike is settled by the keyboard: its row, Enter, the second remedy
    row = next(n for n, r in enumerate(records.rows) if r.what == "spike")
    records.needs.setFocus()
    for _ in range(row - records.needs.currentRow()):
        empty.key(Qt.Key.Key_Down, on=records.needs)
    low, high = records.view.span
    assert low < records.rows[row].treated.fault.begin < high
    assert high - low < 30 * 86400
    empty.key(Qt.Key.Key_Return, on=records.needs)
    empty.click_menu("missing")
    mended = mended_of(empty.desk.study, empty.desk.file.blobs, "meadow")
    assert [t.fault.kind for t in mended.open] == ["duplicate", "gap"]
    # and taken back and done again with the mouse
    empty.key(Qt.Key.Key_Z, CTRL, on=empty.window)
    empty.settle()
    assert len(mended_of(empty.desk.study, empty.desk.file.blobs, "meadow").open) == 3
    empty.key(Qt.Key.Key_Z, CTRL | Qt.KeyboardModifier.ShiftModifier, on=empty.window)
    empty.settle()
    maxima = page(empty, bench, MAXIMA)
    assert len(maxima.rows) == 12
    assert "12 years used" in maxima.words.text()
    assert maxima.paper.plot.curves[0].label == "generalised extreme value by L-moments"
    choose(empty, maxima.distribution, "Gumbel")
    assert empty.desk.study.gauges["meadow"].maxima.distribution.tag() == "gumbel"
    empty.click(maxima.make)
    empty.settle()
    study = empty.desk.study
    assert study.tables["meadow"].source.startswith("meadow, 12 years, Gumbel by L-moments")
    (family,) = study.families.values()
    assert family.table == "meadow"
    assert bench.curves.plot.title.endswith("parametric bootstrap of 1,000 samples")
    # a catchment by three typed numbers, and its case; the depth of its storm says where it is from
    empty.bench(RUNOFF)
    empty.key(Qt.Key.Key_Insert, on=empty.window)
    for text in ("3", "75", "45"):
        empty.write(text)
        empty.key(Qt.Key.Key_Tab if text != "45" else Qt.Key.Key_Return)
    empty.settle()
    desk = empty.desk
    case = desk.case_in_view()
    assert case.case.storm.key in desk.study.families
    told = explain(desk.study, case, desk.selection, "rain depth")
    assert "meadow, 12 years, Gumbel by L-moments" in str(list(origins(told)))


def origins(node):
    """Where the figures of a reckoning came from."""
    yield node.origin
    for part in node.inputs:
        yield from origins(part)


def test_choices_of_the_preview_change_what_is_read(empty, tmp_path):
    path = tmp_path / "odd.csv"
    rows = "".join(f"0{1 + n % 9}/0{1 + n // 9}/2004 00:00,{n % 5}\n" for n in range(60))
    path.write_text("when,mm\n" + rows)
    bench = empty.bench(RAIN)
    records = page(empty, bench, RECORDS)
    asked = import_file(empty, records, path)
    choose(empty, asked.order, "month first")
    assert asked.table.item(3, 0).text().startswith("2004-02-01")
    choose(empty, asked.form, "rate of each interval")
    choose(empty, asked.stamp, "at its start")
    empty.fill(asked.missing, "4")
    assert any("missing" in asked.table.item(r, 0).text() for r in range(2, 20))
    press(empty, asked, "Import")
    gauge = empty.desk.study.gauges["odd"]
    assert (gauge.form, gauge.stamp) == ("rate", "start")


def test_rows_that_cannot_be_read_are_told_and_left_out_only_when_asked(empty, tmp_path):
    path = tmp_path / "bad.csv"
    good = "".join(f"2004-01-{d:02d} 00:00,{d % 4}\n" for d in range(1, 29))
    path.write_text("when,mm\n" + good + "2004-02-31 00:00,5\n")
    bench = empty.bench(RAIN)
    asked = import_file(empty, page(empty, bench, RECORDS), path)
    empty.click(asked.take)
    empty.bot.waitUntil(lambda: "1 row cannot be read" in asked.told.text(), timeout=5000)
    assert not empty.desk.study.gauges
    empty.click(asked.leave_out, at=QPoint(8, asked.leave_out.height() // 2))
    press(empty, asked, "Import")
    assert empty.desk.study.gauges["bad"].rows == 28


def test_the_gauges_of_the_demo_show_what_they_need(hand, rain):
    records = page(hand, rain, RECORDS)
    assert records.list.item(0, 2).text() == "settled"
    hand.click_cell(records.list, 1, 0)
    hand.settle()
    assert records.key == "pellowford"
    open_kinds = {row.what for row in records.rows if row.open}
    assert open_kinds == {"repeated time", "spike", "stuck value", "total after a gap"}
    # the whole record is in the browser, and the keys move along it
    low, high = records.view.span
    assert high - low > 23 * 365 * 86400
    records.view.setFocus()
    for _ in range(12):
        hand.key(Qt.Key.Key_Plus, on=records.view)
    near = records.view.span
    assert near[1] - near[0] < 0.02 * (high - low)
    hand.key(Qt.Key.Key_Right, on=records.view)
    assert records.view.span[0] > near[0]
    hand.key(Qt.Key.Key_Home, on=records.view)
    assert records.view.span[1] - records.view.span[0] > 23 * 365 * 86400


def test_neighbours_and_all_alike_fill_the_gaps(hand, rain):
    records = page(hand, rain, RECORDS)
    hand.click_cell(records.list, 1, 0)
    hand.settle()
    hand.fill(records.neighbours, "Gaunt Ridge 1, Nowhere 2")
    assert "no other record “Nowhere" in records._message.text()
    hand.fill(records.neighbours, "Gaunt Ridge 1")
    hand.settle()
    row = next(n for n, r in enumerate(records.rows) if r.what == "gap")
    hand.click_cell(records.needs, row, 0)
    hand.click(records.alike_button)
    hand.click_menu("filled from neighbours")
    record = record_of(hand.desk.study, hand.desk.file.blobs, "pellowford")
    # one row of two that differ is still missing, and nothing else
    assert int(record.missing.sum()) <= 2
    (done,) = {r.done.split(",")[0] for r in records.rows if r.what == "gap" and r.treated.fault.count > 1000}
    assert done == "filled from neighbours"


def test_an_incomplete_year_stands_among_the_faults_and_is_used_or_left_out(hand, rain):
    maxima = page(hand, rain, MAXIMA)
    key = maxima.key
    hand.fill(maxima.complete, "99.95 %")
    hand.settle()
    records = page(hand, rain, RECORDS)
    row, one = next((n, r) for n, r in enumerate(records.rows) if r.what == "incomplete year")
    assert one.done == "left out of maxima by its data"
    hand.click_cell(records.needs, row, 0)
    low, high = records.view.span
    assert low < one.begin < one.end < high
    hand.key(Qt.Key.Key_Return, on=records.needs)
    hand.click_menu("used for maxima")
    hand.settle()
    assert hand.desk.study.gauges[key].maxima.taken_in == (one.year.year,)
    assert records.rows[row].done == "used for maxima"
    hand.key(Qt.Key.Key_Delete, on=records.needs)
    hand.settle()
    assert hand.desk.study.gauges[key].maxima.taken_in == ()
    hand.click(records.alike_button)
    hand.click_menu("left out of maxima")
    hand.settle()
    years = [r for r in records.rows if r.what == "incomplete year"]
    assert hand.desk.study.gauges[key].maxima.left_out == tuple(r.year.year for r in years)
    hand.key(Qt.Key.Key_Z, CTRL, on=hand.window)
    hand.settle()
    # and taken in from the list of maxima
    maxima = page(hand, rain, MAXIMA)
    at = next(n for n, r in enumerate(maxima.rows) if not r.used)
    maxima.list.setFocus()
    for _ in range(at - maxima.list.currentRow()):
        hand.key(Qt.Key.Key_Down, on=maxima.list)
    hand.key(Qt.Key.Key_Space, on=maxima.list)
    hand.settle()
    assert maxima.rows[at].used


def test_a_maximum_leads_to_its_storm_in_the_record_and_a_year_is_left_out(hand, rain):
    maxima = page(hand, rain, MAXIMA)
    row = next(n for n, r in enumerate(maxima.rows) if r.year == "2019")
    maxima.list.setFocus()
    for _ in range(row - maxima.list.currentRow()):
        hand.key(Qt.Key.Key_Down, on=maxima.list)
    hand.key(Qt.Key.Key_Space, on=maxima.list)
    hand.settle()
    assert hand.desk.study.gauges[maxima.key].maxima.left_out == (2019,)
    assert "2019 (100 %) left out" in maxima.words.text()
    hand.click(maxima.leave_button)
    hand.settle()
    assert hand.desk.study.gauges[maxima.key].maxima.left_out == ()
    hand.click(maxima.show_button)
    hand.settle()
    assert rain._pages.currentIndex() == RECORDS
    low, high = rain.records.view.span
    flood = datetime(2019, 11, 9, 12, tzinfo=UTC).timestamp()
    assert low < flood < high
    assert high - low < 20 * 86400


def test_f1_says_what_every_field_of_the_pages_means(hand, rain):
    unsaid = []
    for number in range(len(rain._tabs)):
        shown = page(hand, rain, number)
        fields = [
            w for kind in (QComboBox, QLineEdit, QCheckBox, QSlider, QTableWidget) for w in shown.findChildren(kind)
        ]
        inner = (QComboBox, QSpinBox)
        unsaid += [w.accessibleName() for w in fields if not isinstance(w.parent(), inner) and not meaning_of(w)]
    assert not unsaid
    maxima = page(hand, rain, MAXIMA)
    maxima.way.setFocus()
    hand.key(Qt.Key.Key_F1, on=maxima.way)
    assert "the greatest likelihood" in hand.window.message.text()


def test_gaps_are_shaded_in_the_record(hand, rain):
    records = page(hand, rain, RECORDS)
    fault = next(row.treated.fault for row in records.rows if row.what == "gap")
    records.view.look_at(fault.begin, fault.end)
    hand.bot.wait(100)
    area = records.view._area
    box, picture = area.getViewBox(), area.grab().toImage()

    def colour(seconds):
        spot = area.mapFromScene(box.mapViewToScene(QPointF(seconds, 0.95 * box.viewRange()[1][1])))
        return picture.pixelColor(spot)

    length = fault.end - fault.begin
    before, inside = colour(fault.begin - length / 3), colour(fault.begin + length / 2)
    assert inside != before
    assert inside.red() - inside.blue() > before.red() - before.blue()


@pytest.mark.slow
def test_every_choice_of_the_fit_is_an_act_that_is_undone(hand, rain):
    maxima = page(hand, rain, MAXIMA)
    before = hand.desk.study
    hand.fill(maxima.durations, "1h, 90 min, 3h")
    hand.settle()
    assert [maxima.which.itemText(n) for n in range(3)] == ["1 h", "1 h 30 min", "3 h"]
    hand.fill(maxima.periods, "2, 10, 100, 1000")
    hand.settle()
    assert "1 in 1000" in maxima.words.text()
    hand.fill(maxima.complete, "99.95 %")
    hand.settle()
    assert "left out" in maxima.words.text()
    choose(hand, maxima.together, "nearest rising depths")
    assert "greatest shift" in maxima.words.text()
    choose(hand, maxima.month, "October")
    assert maxima.rows[0].year == "1998/99"
    choose(hand, maxima.way, "maximum likelihood")
    assert "by maximum likelihood" in maxima.words.text()
    hand.fill(maxima.durations, "5 min")
    assert maxima.durations.has_draft or "shorter" in maxima._message.text() or maxima.frequency is not None
    while hand.desk.study != before:
        hand.key(Qt.Key.Key_Z, CTRL, on=hand.window)
        hand.settle()


def test_peaks_over_a_threshold_are_fitted_and_their_threshold_typed_and_left_to_the_rate(hand, rain):
    maxima = page(hand, rain, MAXIMA)
    before = hand.desk.study
    assert not maxima.threshold.isVisible()
    choose(hand, maxima.sampled, "peaks over threshold")
    hand.settle()
    assert maxima.distribution.currentText() == "generalised Pareto"
    assert not maxima.distribution.isEnabled()
    assert "a year" in maxima.words.text()
    assert maxima.paper.plot.curves[0].label == "generalised Pareto by L-moments"
    by_rate = maxima.threshold.placeholderText()
    assert by_rate.endswith("by the rate")
    hand.fill(maxima.rate, "1.5")
    hand.settle()
    assert maxima.threshold.placeholderText() != by_rate
    fewer = len([row for row in maxima.rows if row.date])
    shown = maxima.threshold.placeholderText().removesuffix(" by the rate")
    hand.fill(maxima.threshold, by_rate.removesuffix(" by the rate"))
    hand.settle()
    assert len([row for row in maxima.rows if row.date]) > fewer
    assert maxima.frequency.maxima.threshold(maxima.duration) != float(shown.split()[0])
    hand.fill(maxima.threshold, "")
    hand.settle()
    assert maxima.threshold.placeholderText() == f"{shown} by the rate"
    hand.fill(maxima.apart, "2 d")
    hand.settle()
    assert maxima.rule.peaks.between_storms == 2 * 86400
    hand.fill(maxima.threshold, "900 mm")
    hand.settle()
    assert "no peak is over the threshold" in maxima._message.text()
    while hand.desk.study != before:
        hand.key(Qt.Key.Key_Z, CTRL, on=hand.window)
        hand.settle()
    assert not maxima.threshold.isVisible()


def test_a_fitted_depth_that_is_typed_over_is_said_and_keeps_the_years_of_its_record(hand, rain):
    maxima = page(hand, rain, MAXIMA)
    hand.click(maxima.make)
    hand.settle()
    fitted = hand.desk.study.tables["gaunt-ridge"]
    assert fitted.fit is not None
    hand.type_in_cell(rain.sheet, 1, 1, "21")
    hand.settle()
    hand.type_in_cell(rain.sheet, 1, 2, "29")
    hand.settle()
    typed = hand.desk.study.tables["gaunt-ridge"]
    assert typed.depths[0][:2] == (21.0, 29.0)
    assert typed.source == f"{fitted.source}, changed by hand"
    assert typed.fit is None
    assert (typed.years, typed.series) == (fitted.years, "annual maxima")


def test_an_event_is_found_moved_and_made_into_a_storm_of_every_catchment(hand, rain):
    events = page(hand, rain, EVENTS)
    row = next(n for n in range(len(events.events)) if events.list.item(n, 0).text().startswith("9 Nov 2019"))
    hand.click_cell(events.list, row, 0)
    hand.settle()
    depth = events.events[row].depth
    hand.fill(events.end, "2019-11-09 20:00")
    assert events.stretch.depth < depth
    hand.fill(events.name, "Flood of 2019")
    hand.click(events.make)
    hand.settle()
    storm = hand.desk.study.storms["flood-of-2019"]
    assert storm.steps == 16
    assert set(storm.rain) == {key for key, e in hand.desk.study.all_elements.items() if e.takes_rain}
    # the two gauges have different rain, so that catchments have too
    assert sum(storm.depths_on("sallow-tarn")) != sum(storm.depths_on("pellowford"))
    answered = [a for a in hand.desk.results.answers() if a.result.case.event == "flood-of-2019"]
    assert answered


def test_the_ends_of_a_stretch_are_dragged_on_the_record(hand, rain):
    events = page(hand, rain, EVENTS)
    area = events.view._area
    box, before = area.getViewBox(), events.stretch

    def pixel(seconds):
        return area.mapFromScene(box.mapViewToScene(QPointF(seconds, box.viewRange()[1][1] / 2)))

    begin = pixel(before.end)
    hand.bot.mouseMove(area.viewport(), begin)
    hand.bot.wait(50)
    hand.bot.mousePress(area.viewport(), Qt.MouseButton.LeftButton, pos=begin)
    for step in range(1, 12):
        hand.bot.mouseMove(area.viewport(), begin + QPoint(4 * step, 0))
        hand.bot.wait(10)
    hand.bot.mouseRelease(area.viewport(), Qt.MouseButton.LeftButton, pos=begin + QPoint(44, 0))
    hand.settle()
    assert events.stretch.end > before.end
    assert events.stretch.begin == before.begin


def test_weights_are_typed_stand_and_are_cleared(hand, rain):
    shares = page(hand, rain, CATCHMENTS)
    row = next(r for r in range(shares.table.rowCount()) if shares.table.item(r, 0).text() == "Hask")
    hand.type_in_cell(shares.table, row, 1, "50 %")
    hand.settle()
    typed = hand.desk.study.catchment_rain.typed["hask"]
    assert typed["gaunt-ridge"] == 0.5
    assert "typed" in shares.table.item(row, 1).text()
    choose(hand, shares.way, "inverse distance")
    assert hand.desk.study.catchment_rain.typed["hask"] == typed
    hand.click_cell(shares.table, row, 0)
    hand.key(Qt.Key.Key_Delete, on=shares.table)
    hand.settle()
    assert not hand.desk.study.catchment_rain.typed


def test_gauges_that_take_part_are_named(hand, rain):
    shares = page(hand, rain, CATCHMENTS)
    hand.fill(shares.gauges, "Pellowford")
    hand.settle()
    assert hand.desk.study.catchment_rain.gauges == ("pellowford",)
    assert [shares.table.item(0, c).text() for c in range(shares.table.columnCount())] == ["Sallow Tarn", "100.0 %"]
    hand.fill(shares.gauges, "Fell")
    assert "no record of rain “Fell”" in shares._message.text()
    assert hand.desk.study.catchment_rain.gauges == ("pellowford",)
    hand.fill(shares.gauges, " ")
    hand.settle()
    assert hand.desk.study.catchment_rain.gauges == ()
    assert shares.table.columnCount() == 1 + 3


@pytest.mark.slow
def test_a_mended_record_is_written_for_other_programs(hand, rain, tmp_path):
    records = page(hand, rain, RECORDS)
    path = tmp_path / "ridge.xml"
    hand.answer_file(path)
    hand.click(records.write_button)
    hand.bot.waitUntil(path.exists, timeout=30_000)
    hand.settle()
    (series,) = read_waterml(path).series
    assert series.name == "Gaunt Ridge"
    record = record_of(hand.desk.study, hand.desk.file.blobs, "gaunt-ridge")
    assert np.nansum(series.raw.values) == pytest.approx(np.nansum(record.values))


def test_the_pages_of_rain_are_found_by_name(hand):
    hand.find("Rain: Events")
    assert hand.window.bench._pages.currentIndex() == EVENTS


def test_frames_are_shown_played_and_scaled_to_the_gauges(hand, rain):
    shares = page(hand, rain, CATCHMENTS)
    choose(hand, shares.way, "a grid of rain")
    assert "2 frames missing, the first from 9 Nov 2019" in shares._told.text()
    hand.click(shares.play)
    hand.bot.waitUntil(lambda: shares.time.value() > 2, timeout=5000)
    hand.click(shares.play)
    hand.click(shares.bias_button)
    hand.settle()
    factor = hand.desk.study.rain_grids["radar-of-november-2019"].factor
    # the radar sees four fifths of the rain
    assert 1.2 < factor < 2.2


def test_equations_are_fitted_and_storms_follow_the_choice(hand, rain):
    hand.click(rain.more)
    hand.click_menu("Fit an equation to the table …")
    asked = hand.dialog(FittedEquation)
    assert asked.forms.rowCount() == 6
    best = float(asked.forms.item(0, 1).text().split()[0])
    assert abs(best) < 2
    press(hand, asked, "Use it")
    held = hand.desk.study.tables["valley"]
    assert isinstance(held, DepthEquation)
    assert held.told == "as fitted"
    assert "as fitted" in rain.curves.plot.title
    choose(hand, rain.read, "storms as typed")
    assert hand.desk.study.tables["valley"].told == "as typed"
    # a depth typed in the sheet fits the equation anew
    hand.type_in_cell(rain.sheet, 1, 1, "9.5")
    hand.settle()
    again = hand.desk.study.tables["valley"]
    assert again.points.depths[0][0] == 9.5
    assert again.equation != held.equation


def test_a_published_equation_is_typed_with_its_units(hand, rain):
    hand.click(rain.more)
    hand.click_menu("Type a published equation …")
    asked = hand.dialog(TypedEquation)
    choose(hand, asked.form, "i = a T^m / (d + b)^c")
    hand.fill(asked.periods, "2, 10, 100")
    for column, text in enumerate(("650", "0.2", "10", "0.75")):
        hand.type_in_cell(asked.sheet, 0, column, text)
    assert asked.told.text().startswith("Depths 5 min:")
    choose(hand, asked.duration, "h")
    assert "no rain has" in asked.told.text() or "Depths" in asked.told.text()
    choose(hand, asked.duration, "min")
    press(hand, asked, "Use it")
    held = hand.desk.study.tables["equation"]
    assert held.told == "as published"
    assert float(held.depth(3600.0, 10.0)) == pytest.approx(650 * 10**0.2 / 70**0.75)
    # its depths are shown and not typed over
    hand.click_cell(rain.sheet, 1, 1)
    hand.key(Qt.Key.Key_Return, on=rain.sheet)
    assert rain.sheet.state() != rain.sheet.State.EditingState


def test_a_service_is_asked_and_its_answer_enters_only_when_taken(hand, rain):
    hand.click(rain.more)
    hand.click_menu("Ask a design rainfall service …")
    asked = hand.dialog(ServiceDialog)
    hand.click(asked.ask)
    hand.settle()
    assert asked.depths.rowCount() == 9, asked.told.text()
    shares = [float(asked.cells.item(r, 1).text().split()[0]) for r in range(asked.cells.rowCount())]
    assert sum(shares) == pytest.approx(100, abs=0.1)
    assert "service" not in hand.desk.study.tables
    press(hand, asked, "Use these depths")
    assert "mean of" in hand.desk.study.tables["service"].source
    # drawn beside the typed table
    choose(hand, rain._which, "valley")
    choose(hand, rain.other, "beside: service")
    assert any(curve.label.startswith("beside") for curve in rain.curves.plot.curves)
    hand.click(rain.linear)
    assert not rain.curves.plot.x.log


def test_a_service_that_is_not_there_is_told(hand, rain):
    hand.click(rain.more)
    hand.click_menu("Ask a design rainfall service …")
    asked = hand.dialog(ServiceDialog)
    hand.fill(asked.address.lineEdit(), "http://127.0.0.1:9")
    hand.click(asked.ask)
    hand.bot.waitUntil(lambda: "cannot be reached" in asked.told.text(), timeout=20_000)
    press(hand, asked, "Leave")


def test_depths_are_kept_across_studies(hand, rain):
    hand.answer_line("Valley of the beck")
    hand.click(rain.more)
    hand.click_menu("Keep these depths for other studies …")
    hand.settle()
    kept = read_kept_rain().depths["Valley of the beck"]
    assert kept == hand.desk.study.tables["valley"]
    # taken by keys: the last entry of the menu, and the first of its own
    hand.click(rain.more)
    hand.key(Qt.Key.Key_Up, on=rain._menu)
    hand.key(Qt.Key.Key_Right, on=rain._menu)
    library = next(m for m in rain._menu.findChildren(QMenu) if m.isVisible())
    hand.key(Qt.Key.Key_Return, on=library)
    hand.settle()
    assert hand.desk.study.tables["valley-of-the-beck"] == kept


def test_an_ensemble_is_cut_from_a_record_and_answers_by_its_mean(hand, rain):
    box = rain.form.pattern
    box.setFocus()
    hand.key(Qt.Key.Key_End, on=box)
    asked = hand.dialog(PatternDialog)
    hand.fill(asked.duration, "6 h")
    hand.click(asked.cut_button)
    assert len(asked.curves) == 10
    press(hand, asked, "Use them")
    family = hand.desk.study.families["valley-storms"]
    assert family.pattern.members == 10
    view = hand.desk.view
    results = hand.desk.results
    governing = results.governing(view.condition, view.point, view.event)
    members = results.members(governing)
    assert len(members) == 10
    peaks = [m.peak(view.point).ordinate for m in members]
    assert results.typical_peak(governing) == pytest.approx(np.mean(peaks))
    nearest = min(peaks, key=lambda p: abs(p - np.mean(peaks)))
    assert governing.peak(view.point).ordinate == nearest
    # the durations of the cell name each member, and the mean stands on the one that is nearest to it
    hand.back()
    cases = hand.bench(CASES)
    assert cases.tree.isVisible()
    hand.key(Qt.Key.Key_Return, on=cases.board)
    own = [row for row in cases.durations.rows if row.storm[:2] == governing.case.storm.mark[:2]]
    assert [row.pattern for row in own] == [curve.name for curve in family.pattern.curves]
    (stands,) = [row for row in own if row.typical is not None]
    assert stands.storm == governing.case.storm.mark
    assert stands.typical == pytest.approx(np.mean(peaks))
    assert not cases.durations.isColumnHidden(2)
    # the line of peaks by duration goes through the means, its dots are the members
    line, dots = cases.by_duration.plot.curves[:2]
    at = governing.case.storm.duration / 3600
    assert line.y[list(line.x).index(at)] == pytest.approx(np.mean(peaks))
    assert sorted(dots.y[dots.x == at]) == pytest.approx(sorted(peaks))
    hand.key(Qt.Key.Key_C, CTRL, on=cases.durations)
    head, *rows = [line.split("\t") for line in QApplication.clipboard().text().splitlines()]
    assert head[-2:] == ["pattern", "typical peak m3/s"]
    assert stands.pattern in [row[-2] for row in rows if row[-1] and float(row[-1]) == stands.typical]
    hand.key(Qt.Key.Key_Escape, on=cases.durations)
    assert cases.tree.isVisible()
    assert not cases.by_duration.isVisible()


def test_a_curve_of_areal_reduction_is_pasted_and_its_share_works_out(hand, rain):
    box, point = rain.form.areal, hand.desk.view.point
    choose(hand, box, "none")
    whole = hand.desk.results.governing(*view_of(hand)).rain_depth(point)
    hand.key(Qt.Key.Key_End, on=box)
    asked = hand.dialog(ArealDialog)
    assert not asked.take.isEnabled()
    asked.text.setFocus()
    QApplication.clipboard().setText("area, km2\t1 h\t72 h\n10\t1.2\t0.97\n1000\t0.6\t0.8")
    hand.key(Qt.Key.Key_V, CTRL, on=asked.text)
    assert "at most 1" in asked.told.text()
    QApplication.clipboard().setText("# Valley study\narea, km2\t1 h\t72 h\n10\t0.9\t0.97\n1000\t0.6\t0.8")
    hand.key(Qt.Key.Key_A, CTRL, on=asked.text)
    hand.key(Qt.Key.Key_V, CTRL, on=asked.text)
    assert asked.told.text() == "2 areas, 2 durations; Valley study"
    press(hand, asked, "Use it")
    family = hand.desk.study.families["valley-storms"]
    assert family.areal.method == "typed curve"
    assert box.currentText() == "typed curve …"
    case = hand.desk.results.governing(*view_of(hand))
    area = case.network.area_above(point)
    assert case.areal_factor == pytest.approx(float(family.areal.curve.at(area, case.case.storm.duration)))
    if case.case.storm.duration == 43_200.0:
        assert case.rain_depth(point) == pytest.approx(whole * case.areal_factor)
    node = explain(hand.desk.study, case, point, "rain depth")
    (factor,) = [one for one in node.inputs if one.symbol == "f"]
    assert factor.equation == "f = (1 − u) f1 + u f2"
    assert factor.source == "Valley study"
    assert factor.evaluate(*(one.value for one in factor.inputs)) == pytest.approx(factor.value, rel=1e-12)
    # another reduction, and back: the curve is still at hand
    choose(hand, box, "none")
    hand.key(Qt.Key.Key_End, on=box)
    again = hand.dialog(ArealDialog)
    assert "Valley study" in again.text.toPlainText()
    again.reject()
    hand.settle()
    assert box.currentText() == "none"


def test_climate_and_dry_time_change_the_storms(hand, rain):
    before = hand.desk.results.governing(*view_of(hand)).rain_depth("bridge" if False else hand.desk.view.point)
    hand.fill(rain.form.climate, "1.2")
    hand.settle()
    after = hand.desk.results.governing(*view_of(hand))
    assert after.rain_depth(hand.desk.view.point) == pytest.approx(1.2 * before)
    hand.fill(rain.form.lead, "1 h")
    hand.settle()
    later = hand.desk.results.governing(*view_of(hand))
    point = hand.desk.view.point
    assert later.peak(point).time == pytest.approx(after.peak(point).time + 3600, abs=120)


def test_a_storm_moves_while_its_climate_factor_and_dry_time_are_dragged(hand, rain):
    before, key = hand.desk.study, rain.form.key
    bars = rain.storm.plot.bars[0]
    handle = hand.named("Drag the climate factor")
    start = handle.rect().center()
    QTest.mousePress(handle, Qt.MouseButton.LeftButton, pos=start)
    QTest.mouseMove(handle, start + QPoint(80, 0))
    assert rain.form.climate.text() == "1.2"
    # the hyetograph follows, the study does not yet
    assert rain.storm.plot.bars[0].heights == pytest.approx(1.2 * bars.heights)
    assert hand.desk.study is before
    QTest.mouseRelease(handle, Qt.MouseButton.LeftButton, pos=start + QPoint(80, 0))
    hand.settle()
    assert hand.desk.study.families[key].climate == 1.2
    handle = hand.named("Drag the dry before")
    start, end = handle.rect().center(), handle.rect().center() + QPoint(48, 0)
    QTest.mousePress(handle, Qt.MouseButton.LeftButton, pos=start)
    QTest.mouseMove(handle, end)
    assert not rain.storm.plot.bars[0].heights[:30].any()  # an hour of 2-minute steps
    QTest.mouseRelease(handle, Qt.MouseButton.LeftButton, pos=end)
    hand.settle()
    assert hand.desk.study.families[key].lead == 3600.0
    for _ in range(2):
        hand.key(Qt.Key.Key_Z, CTRL, on=hand.window)
    hand.settle()
    assert hand.desk.study == before


def view_of(hand):
    view = hand.desk.view
    return view.condition, view.point, view.event


def test_a_dropped_file_goes_to_its_page(hand, rain):
    rain.take_files([data_path("pellowford.csv")])
    assert rain._pages.currentIndex() == RECORDS
    hand.dialog(ImportRecord).reject()
    rain.take_files([data_path("depths.csv")])
    assert rain._pages.currentIndex() == STORMS
    hand.dialogs()[-1].reject()
    rain.take_files([data_path("radar-2019.nc")])
    hand.settle()
    assert rain._pages.currentIndex() == CATCHMENTS
    assert len(hand.desk.study.rain_grids) == 2


def test_columns_of_the_screen_lose_no_peak():
    rng = np.random.default_rng(2)
    values = np.where(rng.random(300_000) < 0.02, rng.gamma(0.5, 3, 300_000), 0.0)
    values[[7, 151_515, 299_999]] = [80, 90, 70]
    values[1000:2000] = np.nan
    levels = Levels(values)
    for count in (3, 900, 5000):
        edges = np.linspace(0, 300_000, count + 1).astype(np.int64)
        columns = levels.columns(edges)
        exact = np.array([np.nanmax(values[a:b], initial=0) for a, b in pairwise(edges)])
        assert (columns >= exact).all()
        assert columns.max() == 90


def test_a_record_without_values_shows_words(qtbot):
    from tarnwater.desk.theme import LIGHT

    view = RecordView("x", LIGHT)
    qtbot.addWidget(view)
    view.show_record(Record(np.empty(0, int), np.empty(0, int), np.empty(0)), "t", "SI", "nothing to show")
    assert view.caption.text() == "nothing to show"


def test_a_storm_is_pasted_as_a_column_and_removed(hand, rain):
    events = page(hand, rain, EVENTS)
    hand.click(events.type_button)
    asked = hand.dialog(StormDialog)
    hand.fill(asked.name, "Measured flood")
    hand.fill(asked.step, "1h")
    asked.text.setFocus()
    QApplication.clipboard().setText("2\n--\n8\n5\n")
    hand.key(Qt.Key.Key_V, CTRL, on=asked.text)
    assert "rain is missing on" in asked.told.text()
    QApplication.clipboard().setText("2\n6\n8\n5\n")
    hand.key(Qt.Key.Key_A, CTRL, on=asked.text)
    hand.key(Qt.Key.Key_V, CTRL, on=asked.text)
    assert "21.00 mm everywhere" in asked.told.text()
    press(hand, asked, "Use it")
    storm = hand.desk.study.storms["measured-flood"]
    assert (storm.step, storm.depths_on("hask")) == (3600.0, (2.0, 6.0, 8.0, 5.0))
    assert any(a.result.case.event == "measured-flood" for a in hand.desk.results.answers())
    hand.click(events.remove_button)
    hand.settle()
    assert not hand.desk.study.storms
