"""Faults of the program: nothing fails in silence, and nothing of them ends the program."""

import logging
import subprocess
import sys
import threading

import pytest
from PyQt6.QtCore import QTimer

from tarnwater.desk import faults, opening
from tarnwater.desk.dialogs.fault import Fault


@pytest.fixture
def caught(qtbot):
    """Reports of the faults that are caught from now on."""
    catcher, reports = faults.Faults(), []
    catcher.told.connect(reports.append)
    yield reports
    catcher.close()


def fail(words="the kettle boiled over"):
    try:
        raise KeyError("spout")
    except KeyError as error:
        raise RuntimeError(words) from error


def test_an_error_in_a_slot_becomes_a_report_with_its_cause_and_is_written_down(qtbot, caught):
    QTimer.singleShot(0, fail)
    qtbot.waitUntil(lambda: bool(caught))
    assert "RuntimeError: the kettle boiled over" in caught[0]
    assert "KeyError: 'spout'" in caught[0]
    assert "the kettle boiled over" in faults.log_file().read_text()


def test_an_error_in_a_thread_is_told_on_the_thread_of_the_window(qtbot, caught):
    thread = threading.Thread(target=fail)
    thread.start()
    qtbot.waitUntil(lambda: bool(caught))
    thread.join()
    assert "in fail" in caught[0]


def test_work_beside_the_window_that_fails_is_written_down_too(hand, caught):
    hand.desk.aside.run(lambda progress: fail("beside"), lambda answer: None, hand.desk.fault)
    fault = hand.dialog(Fault)
    assert "RuntimeError: beside" in fault.report.toPlainText()
    assert "RuntimeError: beside" in faults.log_file().read_text()
    fault.close()


def test_the_log_rotates_and_stays_small(qtbot, caught):
    for _ in range(60):
        faults.LOG.error("x" * 100_000)
    folder = faults.log_file().parent
    kept = sorted(folder.glob("faults.log*"))
    assert 1 < len(kept) <= 1 + faults.OLDER
    assert max(path.stat().st_size for path in kept) <= faults.LARGEST + 100_100


def test_a_folder_that_cannot_be_written_keeps_no_report_away(qtbot, monkeypatch, tmp_path):
    monkeypatch.setenv("XDG_STATE_HOME", "/proc/none")
    catcher, reports = faults.Faults(), []
    catcher.told.connect(reports.append)
    QTimer.singleShot(0, fail)
    qtbot.waitUntil(lambda: bool(reports))
    catcher.close()


def test_the_hooks_are_given_back(qtbot):
    before = sys.excepthook, threading.excepthook, list(logging.getLogger("tarnwater").handlers)
    faults.Faults().close()
    assert (sys.excepthook, threading.excepthook, logging.getLogger("tarnwater").handlers) == before


def test_a_window_that_cannot_be_made_leaves_its_study_to_others(qtbot, tmp_path, demo, monkeypatch):
    path = opening.new_demo(tmp_path)
    with monkeypatch.context() as broken:
        broken.setattr("tarnwater.desk.shell.Window.__init__", lambda *_, **__: fail())
        with pytest.raises(RuntimeError, match="kettle"):
            opening.window_on(path)
    window = opening.window_on(path)
    window.close()


PROGRAM = """
import os, sys
from pathlib import Path
from PyQt6.QtCore import QTimer
from tarnwater.desk import opening
from tarnwater.desk.dialogs.fault import Fault
from tarnwater.desk.shell import application

app = application()

def fail():
    raise RuntimeError("the kettle boiled over")

def look():
    shown = [f for w in opening.WINDOWS for f in w.findChildren(Fault) if f.isVisible()]
    print(len(shown), "kettle" in shown[0].report.toPlainText())
    shown[0].close()
    opening.WINDOWS[0].close()

QTimer.singleShot(1500, fail)
QTimer.singleShot(1700, fail)
QTimer.singleShot(2500, look)
sys.exit(opening.open_window(Path(sys.argv[1])))
"""


def test_the_program_goes_on_after_a_fault_and_shows_one_report(tmp_path, demo):
    path = opening.new_demo(tmp_path)
    done = subprocess.run([sys.executable, "-c", PROGRAM, str(path)], capture_output=True, text=True, timeout=60)
    assert (done.returncode, done.stdout.strip()) == (0, "1 True"), done.stderr
