"""The window on a real X display: drawn, typed into and closed as a program of its own."""

import os
import shutil
import signal
import subprocess
import sys
import time

import pytest

from tarnwater.study.file import StudyFile
from tarnwater.study.file.store import read_study

pytestmark = pytest.mark.skipif(shutil.which("Xvfb") is None, reason="there is no Xvfb here")


@pytest.fixture
def display(tmp_path, monkeypatch):
    """A display without a screen, 1280 x 900; its name is in the environment of what a test starts."""
    read, write = os.pipe()
    server = subprocess.Popen(
        ["Xvfb", "-displayfd", str(write), "-screen", "0", "1280x900x24", "-nolisten", "tcp"],
        pass_fds=[write], stderr=subprocess.DEVNULL,
    )  # fmt: skip
    os.close(write)
    with os.fdopen(read) as told:
        number = told.readline().strip()
    monkeypatch.setenv("DISPLAY", f":{number}")
    monkeypatch.setenv("QT_QPA_PLATFORM", "xcb")
    yield number
    server.terminate()
    server.wait(10)


@pytest.fixture
def study_path(demo, tmp_path):
    path = tmp_path / "demo.tarn.gpkg"
    StudyFile.create(path, *demo).close()
    return path


WORK = """
import sys
from pathlib import Path
from PyQt6.QtCore import Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication, QLineEdit
from tarnwater.desk.opening import window_on
from tarnwater.desk.shell import application

app = application()
assert app.platformName() == "xcb"
window = window_on(Path(sys.argv[1]))
window.activateWindow()
assert QTest.qWaitForWindowActive(window)
desk = window.desk

def settle():
    QTest.qWait(50)
    while desk.computing or desk.aside.tasks or desk.ground.drainage is None:
        QTest.qWait(20)
    QTest.qWait(100)

settle()
control = Qt.KeyboardModifier.ControlModifier
for bench in (1, 2, 3, 4):
    QTest.keyClick(window, getattr(Qt.Key, f"Key_{bench}"), control)
    settle()
    pixels = window.grab().toImage()
    # each bench is drawn: more than a few colours in its canvas
    assert len({pixels.pixel(x, y) for x in range(0, 900, 7) for y in range(90, 700, 7)}) > 10, bench
QTest.keyClick(window, Qt.Key.Key_3, control)
settle()
sheet = window.bench.sheet
row = window.bench.catchments.keys.index("hill-field")
place = sheet.visualRect(sheet.model().index(row, 2)).center()
QTest.mouseClick(sheet.viewport(), Qt.MouseButton.LeftButton, pos=place)
before = desk.results
QTest.keyClick(sheet, Qt.Key.Key_Return)
editor = next(e for e in sheet.findChildren(QLineEdit) if e.isVisible())
QTest.keyClick(editor, Qt.Key.Key_A, control)
QTest.keyClicks(editor, "20 min")
QTest.keyClick(editor, Qt.Key.Key_Return)
settle()
assert desk.study.elements["hill-field"].lag.value == 1200.0
assert desk.results is not before
window.close()
QTest.qWait(50)
print("closed")
"""


def test_the_window_is_drawn_and_typed_into_on_a_display(display, study_path):
    done = subprocess.run([sys.executable, "-c", WORK, str(study_path)], capture_output=True, text=True, timeout=120)
    assert done.returncode == 0, done.stderr
    assert done.stdout == "closed\n"
    warnings = [line for line in done.stderr.splitlines() if "propagateSizeHints" not in line]
    assert warnings == []
    assert read_study(study_path)[0].elements["hill-field"].lag.value == 1200.0


@pytest.mark.slow
def test_a_program_that_is_killed_leaves_its_study_whole(display, study_path, demo):
    program = subprocess.Popen([sys.executable, "-m", "tarnwater", "window", str(study_path)])
    time.sleep(4)
    assert program.poll() is None
    program.send_signal(signal.SIGKILL)
    program.wait(10)
    assert read_study(study_path)[0].as_text() == demo[0].as_text()
    # the lock of a program that is gone does not keep the study shut
    done = subprocess.run([sys.executable, "-c", WORK, str(study_path)], capture_output=True, text=True, timeout=120)
    assert done.stdout == "closed\n", done.stderr


LARGE = """
import sys
from pathlib import Path
sys.path.insert(0, sys.argv[2])
from PyQt6.QtTest import QTest
from tarnwater.desk.opening import window_on
from tarnwater.desk.shell import application
from tests.desk.test_looks import lasting_faults

app = application()
window = window_on(Path(sys.argv[1]))
window.resize(1280, 800)
while window.desk.computing or window.desk.ground.drainage is None:
    QTest.qWait(20)
window.desk.select("mill-fold")
for number in range(4):
    window.go_to(number)
    for fault in lasting_faults(window):
        print(window.bench_title, fault)
window.close()
"""


@pytest.mark.slow
def test_a_font_scale_of_150_per_cent_cuts_nothing_on_a_display(display, study_path, request, monkeypatch):
    monkeypatch.setenv("QT_FONT_DPI", "144")
    root = str(request.config.rootpath)
    done = subprocess.run(
        [sys.executable, "-c", LARGE, str(study_path), root], capture_output=True, text=True, timeout=120
    )
    assert (done.returncode, done.stdout) == (0, ""), done.stdout + done.stderr
