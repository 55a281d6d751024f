"""Every view at each size, unit system and look: no label is cut, no two texts overlap, every control is reached."""

import os
import subprocess
import sys
from itertools import combinations

import numpy as np
import pytest
from PyQt6.QtCore import QPoint, QRect, Qt
from PyQt6.QtGui import QImage
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QAbstractButton, QApplication, QLabel, QLineEdit, QScrollArea, QWidget

from tarnwater.desk.theme import DARK, LIGHT
from tarnwater.study import edits

from .conftest import CASES, GROUND, RAIN, RUNOFF, WORKS, Hand

BENCHES = (GROUND, RAIN, RUNOFF, WORKS, CASES)

SIZES = [
    pytest.param((1280, 800), id="1280x800"), pytest.param((1920, 1080), id="1920x1080", marks=pytest.mark.slow),
    pytest.param((1024, 700), id="1024x700"),
]  # fmt: skip

PAGES = ("Ponds", "Channels", "Pipes and culverts")


def texts(window):
    """Visible labels, buttons and fields with a text, with the part of each that is seen, in the window."""
    for kind in (QLabel, QAbstractButton, QLineEdit):
        for widget in window.findChildren(kind):
            if widget.isVisible() and widget.text().strip() and not widget.visibleRegion().isEmpty():
                yield widget, QRect(widget.mapTo(window, QPoint(0, 0)), widget.size())


def clipped_by_scrolling(widget):
    parent = widget.parentWidget()
    while parent is not None:
        if isinstance(parent, QScrollArea):
            return True
        parent = parent.parentWidget()
    return False


def faults_in(window):
    """What is cut or overlaps, in words."""
    found = []
    seen = list(texts(window))
    for widget, box in seen:
        if isinstance(widget, QLineEdit):
            continue
        if isinstance(widget, QLabel) and widget.wordWrap():
            needed = widget.heightForWidth(widget.width())
            if needed > widget.height() + 1 and not clipped_by_scrolling(widget):
                found.append(f"too low by {needed - widget.height()}: {widget.text()!r}")
        elif widget.sizeHint().width() > widget.width() + 1:
            found.append(f"cut: {widget.text()!r}")
        if not window.rect().contains(box) and not clipped_by_scrolling(widget):
            found.append(f"outside the window: {widget.text()!r}")
    for (one, a), (other, b) in combinations(seen, 2):
        if one.isAncestorOf(other) or other.isAncestorOf(one):
            continue
        if clipped_by_scrolling(one) != clipped_by_scrolling(other):
            a = a.intersected(visible_box(one, window))
            b = b.intersected(visible_box(other, window))
        if a.adjusted(1, 1, -1, -1).intersects(b.adjusted(1, 1, -1, -1)):
            found.append(f"overlap: {one.text()!r} and {other.text()!r}")
    return found


def lasting_faults(window):
    """What is cut or overlaps and stays so; a busy machine lays out late."""
    found = faults_in(window)
    for _ in range(30):
        if not found:
            break
        QTest.qWait(100)
        found = faults_in(window)
    return found


def visible_box(widget, window):
    region = widget.visibleRegion().boundingRect()
    return QRect(widget.mapTo(window, region.topLeft()), region.size())


@pytest.mark.parametrize("size", SIZES)
@pytest.mark.parametrize(("system", "theme"), [("SI", LIGHT), ("US", DARK)], ids=["SI-light", "US-dark"])
def test_no_label_is_cut_and_no_texts_overlap(qtbot, open_window, demo, system, theme, size):
    window = open_window(edits.set_study(demo[0], "units", system), demo[1], theme, size)
    hand = Hand(qtbot, window)
    hand.find("mill fold")
    window.desk.pin("yard-outlet")
    for bench in BENCHES:
        hand.bench(bench)
        qtbot.wait(30)
        assert (window.width(), window.height()) == size
        assert lasting_faults(window) == [], window.bench_title
        pixels = window.grab().toImage().convertToFormat(QImage.Format.Format_RGB32)
        bits = pixels.constBits()
        bits.setsize(pixels.sizeInBytes())
        # a bench that was not drawn would be of one colour
        assert len(np.unique(np.frombuffer(bits, np.uint32))) > 20


def test_the_empty_study_shows_nothing_cut(empty):
    for bench in BENCHES:
        empty.bench(bench)
        empty.bot.wait(20)
        assert lasting_faults(empty.window) == [], empty.window.bench_title


@pytest.fixture
def at_works(hand):
    """A person at the demo's pond."""
    hand.bench(WORKS)
    hand.find("coldgarth pond")
    hand.click(hand.named("Look at Yard with pond", QAbstractButton))
    hand.settle()
    return hand


@pytest.mark.parametrize("size", SIZES)
def test_no_label_of_the_works_is_cut_and_none_overlap(at_works, size):
    window = at_works.window
    window.resize(*size)
    at_works.find("us customary units")
    for page in PAGES:
        at_works.click(at_works.named(f"Page: {page}", QAbstractButton))
        at_works.bot.wait(30)
        assert lasting_faults(window) == [], page


@pytest.mark.parametrize("page", PAGES)
def test_tab_reaches_every_control_of_the_works_and_each_has_a_name(at_works, page):
    at_works.click(at_works.named(f"Page: {page}", QAbstractButton))
    at_works.bot.wait(30)
    reached_by_tab(at_works)


@pytest.mark.parametrize("bench", [GROUND, RAIN, RUNOFF, CASES], ids=["Ground", "Rain", "Runoff", "Cases"])
def test_tab_reaches_every_control_and_each_has_a_name(hand, bench):
    hand.bench(bench)
    hand.find("hask")
    reached_by_tab(hand)


def reached_by_tab(hand):
    """Go round by Tab: every control of the window is reached, and each has a name."""
    window = hand.window
    wanted = {
        w
        for w in window.findChildren(QWidget)
        if w.isVisible() and w.isEnabled() and w.focusPolicy() & Qt.FocusPolicy.TabFocus and w.focusProxy() is None
        and not w.objectName().startswith("qt_")
    }  # fmt: skip
    reached = set()
    window.bench.take_focus()
    for _ in range(3 * len(wanted)):
        focus = QApplication.focusWidget()
        assert focus is not None
        reached.add(focus)
        modifier = Qt.KeyboardModifier.NoModifier
        hand.key(Qt.Key.Key_Tab, modifier, on=focus)
    missed = [f"{type(w).__name__} {w.accessibleName()!r}" for w in wanted - reached]
    assert missed == []
    unnamed = [type(w).__name__ for w in reached if not w.accessibleName()]
    assert unnamed == []


FONT_SCALE = """
import os, sys
os.environ["QT_FONT_DPI"] = "144"
sys.path.insert(0, {root!r})
from pathlib import Path
from PyQt6.QtTest import QTest
from tarnwater.demo.study import build_demo
from tarnwater.desk.desk import Desk
from tarnwater.desk.shell import Window, application
from tarnwater.study.file import StudyFile
from tests.desk.test_looks import lasting_faults
app = application()
window = Window(Desk(StudyFile.create(Path({path!r}), *build_demo())))
window.resize(1280, 800)
window.show()
while window.desk.computing or window.desk.ground.drainage is None:
    QTest.qWait(20)
window.desk.select("mill-fold")
faults = []
for number in range(5):
    window.go_to(number)
    faults += [f"{{window.bench_title}}: {{f}}" for f in lasting_faults(window)]
window.grab().save({shot!r})
window.close()
print("\\n".join(faults))
"""


def run_apart(script, tmp_path, **env):
    """Run a script in a process of its own, with folders of its own."""
    whole = {**os.environ, "PYTHONPATH": "src", **env}
    done = subprocess.run([sys.executable, "-c", script], env=whole, capture_output=True, text=True, timeout=120)
    assert done.returncode == 0, done.stderr
    return done.stdout


@pytest.mark.slow
def test_a_font_scale_of_150_per_cent_cuts_nothing(tmp_path, request):
    root = str(request.config.rootpath)
    script = FONT_SCALE.format(root=root, path=str(tmp_path / "a.tarn.gpkg"), shot=str(tmp_path / "large.png"))
    assert run_apart(script, tmp_path).strip() == ""
