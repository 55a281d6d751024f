"""The shell: finder, stops and doubts, locking, themes, faults, progress, closing."""

import threading
import time

import pytest
from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QApplication

from tarnwater.desk.dialogs.fault import Fault
from tarnwater.errors import TarnwaterError

from .conftest import CTRL, GROUND, RAIN, SHIFT


def test_the_finder_finds_elements_and_actions_by_a_few_letters(hand):
    hand.find("wim")
    assert hand.desk.selection == "wimmer"
    hand.find("us cust")
    assert hand.desk.study.units == "US"
    hand.settle()
    assert "cfs" in hand.window.bench.sheet.model().headerData(6, Qt.Orientation.Horizontal)


def test_f8_walks_through_stops_and_doubts(hand):
    for _ in range(4):
        hand.key(Qt.Key.Key_F8, on=hand.window)
    assert hand.window.found.isVisible()
    assert hand.window.found.currentRow() == 3
    hand.key(Qt.Key.Key_F8, SHIFT, on=hand.window)
    assert hand.window.found.currentRow() == 2
    while not hand.desk.findings[hand.window.found.currentRow()].element:
        hand.key(Qt.Key.Key_F8, on=hand.window)
    assert hand.desk.selection == hand.desk.findings[hand.window.found.currentRow()].element
    assert "doubt" in hand.window.counts.text()


def test_a_stop_of_the_rain_leads_to_the_rain(empty):
    assert "1 stop" in empty.window.counts.text()
    empty.key(Qt.Key.Key_F8, on=empty.window)
    assert empty.window.bench_title == "Rain"


def test_a_storm_is_found_and_put_in_view(hand):
    hand.find("1 in 200 6")
    assert (hand.desk.view.event, hand.desk.view.storm) == (200.0, ("valley-storms", 6 * 3600.0, 0))
    assert hand.window.bar.storm.currentText() == "6 h"


def test_light_turns_to_dark_by_a_key_and_is_remembered(hand):
    before = hand.window.grab().toImage().pixelColor(640, 60)
    hand.key(Qt.Key.Key_F9, on=hand.window)
    after = hand.window.grab().toImage().pixelColor(640, 60)
    assert before.lightness() > 200
    assert after.lightness() < 60
    assert hand.window.preferences.theme == "dark"


def test_an_element_is_renamed_by_f2(hand):
    hand.find("hask")
    hand.answer_line("Hask Head")
    hand.key(Qt.Key.Key_F2, on=hand.window)
    assert hand.desk.study.elements["hask"].name == "Hask Head"


def test_a_locked_study_says_so_when_typed_into(hand):
    hand.find("lock")
    assert hand.desk.study.locked
    hand.find("hill field")
    hand.fill(hand.named("lag of Hill field"), "20")
    assert "the study is locked" in hand.window.message.text()
    hand.find("unlock")
    assert not hand.desk.study.locked


def test_undo_and_redo_are_named_in_the_menu_and_the_finder(hand):
    hand.find("hill field")
    hand.fill(hand.named("lag of Hill field"), "20")
    hand.settle()
    titles = [act.text() for act in hand.window._acts]
    assert "Undo: type lag of Hill field" in titles
    hand.find("undo")
    assert hand.desk.study.elements["hill-field"].lag.value == 900.0
    assert "Redo: type lag of Hill field" in [act.text() for act in hand.window._acts]


def test_every_action_is_in_the_finder_and_no_key_is_given_twice(window):
    from tarnwater.desk.actions import ACTIONS

    keys = [a.key for a in ACTIONS if a.key]
    assert len(keys) == len(set(keys))
    assert all(a.title(window.acts) for a in ACTIONS)


def test_a_fault_is_told_with_a_report_to_copy_and_the_study_is_whole(hand, monkeypatch):
    def broken(*_, **__):
        raise ZeroDivisionError("made for this test")

    monkeypatch.setattr("tarnwater.desk.desk.compute_cases", broken)
    hand.find("hill field")
    hand.fill(hand.named("lag of Hill field"), "24")
    fault = hand.dialog(Fault)
    assert "made for this test" in fault.report.toPlainText()
    copy = next(b for b in fault.findChildren(type(hand.window.counts)) if b.text() == "Copy the report")
    hand.click(copy)
    assert "ZeroDivisionError" in QApplication.clipboard().text()
    hand.key(Qt.Key.Key_Escape, on=fault)
    assert hand.desk.study.elements["hill-field"].lag.value == 1440.0
    assert hand.desk.file.study is hand.desk.study


def long_work(progress, stopped):
    for share in range(200):
        progress.tell("counting", share / 200)
        time.sleep(0.01)
    stopped.append("ran to its end")


def test_long_work_shows_progress_and_time_left_and_stops_by_escape(hand):
    strip, ended = hand.window.progress, []
    hand.desk.aside.run(lambda p: long_work(p, ended), lambda _: None, lambda _: None, "Counting")
    hand.bot.waitUntil(lambda: strip.isVisible() and "left" in strip._words.text(), timeout=5_000)
    first = strip.bar.value()
    hand.bot.waitUntil(lambda: strip.bar.value() > first, timeout=5_000)
    begun = time.perf_counter()
    hand.key(Qt.Key.Key_Escape, on=hand.window)
    assert not hand.desk.aside.tasks
    assert time.perf_counter() - begun < 0.1
    hand.bot.waitUntil(lambda: not strip.isVisible(), timeout=1_000)
    assert not ended


def test_computing_stopped_by_the_person_shows_no_stale_figures(hand, monkeypatch):
    from tarnwater.desk import desk as module

    gate, whole = threading.Event(), module.compute_cases

    def slow(*args, progress, **kwargs):
        while not progress.flag[0] and not gate.is_set():
            time.sleep(0.01)
        progress.tell("computing", 0.5)
        return whole(*args, progress=progress, **kwargs)

    monkeypatch.setattr(module, "compute_cases", slow)
    hand.find("hill field")
    hand.fill(hand.named("lag of Hill field"), "25")
    hand.bot.waitUntil(lambda: hand.window.progress.isVisible(), timeout=5_000)
    hand.click(hand.window.progress.cancel)
    hand.settle()
    assert hand.desk.results is None
    assert "F5 computes" in hand.window.message.text()
    gate.set()
    hand.key(Qt.Key.Key_F5, on=hand.window)
    hand.settle()
    assert hand.desk.results.study is hand.desk.study


def test_closing_while_computing_is_safe(hand):
    path = hand.desk.file.path
    hand.find("hill field")
    hand.fill(hand.named("lag of Hill field"), "23")
    hand.window.close()
    from tarnwater.study.file.store import read_study

    assert read_study(path)[0].elements["hill-field"].lag.value == 1380.0


def test_a_click_on_a_stop_of_the_course_goes_to_its_bench(hand):
    course = hand.window.bar.course
    for number in (GROUND, RAIN):
        hand.click(course, course.place_of(number).toPoint())
        assert hand.window.bench_title == ("Ground", "Rain")[number]
    course.setFocus()
    hand.key(Qt.Key.Key_Right, on=course)
    assert hand.window.bench_title == "Runoff"


def test_a_design_point_is_made_and_unmade(hand):
    hand.find("hill field")
    hand.key(Qt.Key.Key_E, CTRL, on=hand.window)
    hand.settle()
    assert "hill-field" in hand.desk.study.design_points
    hand.key(Qt.Key.Key_E, CTRL, on=hand.window)
    hand.settle()
    assert "hill-field" not in hand.desk.study.design_points


def test_an_error_of_the_study_is_told_not_reported(hand):
    hand.desk.fault(TarnwaterError("something is missing.", remedy="Give it."))
    assert "something is missing" in hand.window.message.text()


@pytest.mark.parametrize("letters", ["add a reach", "add a confluence", "add an outfall"])
def test_elements_are_added_by_name(hand, letters):
    count = len(hand.desk.study.elements)
    hand.find(letters)
    hand.settle()
    assert len(hand.desk.study.elements) == count + 1
    assert hand.desk.study.elements[hand.desk.selection].kind == letters.split()[-1]
