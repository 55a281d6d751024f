"""The real window, offscreen, driven by mouse and keys."""

import json
import os

os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")

import pytest
from PyQt6.QtCore import QPoint, Qt, QTimer
from PyQt6.QtWidgets import QApplication, QDialog, QFileDialog, QInputDialog, QLineEdit, QMenu, QWidget

from tarnwater.desk.desk import Desk
from tarnwater.desk.opening import lead_on
from tarnwater.desk.preferences import Preferences
from tarnwater.desk.shell import Window, application
from tarnwater.desk.theme import LIGHT
from tarnwater.network.cache import ResultCache
from tarnwater.network.elements import Outfall
from tarnwater.network.memo import IdentityMemo
from tarnwater.rain.depth_table import DepthTable
from tarnwater.rain.storms import StormFamily
from tarnwater.study import edits
from tarnwater.study.answers import RunMemo
from tarnwater.study.document import Study
from tarnwater.study.document.blobs import Blobs
from tarnwater.study.document.conditions import refuse_what_cannot_be
from tarnwater.study.edits.conditioning import terrain_of
from tarnwater.study.file import StudyFile
from tarnwater.study.file.migrations import study_of_any_format

CTRL = Qt.KeyboardModifier.ControlModifier
SHIFT = Qt.KeyboardModifier.ShiftModifier
GROUND, RAIN, RUNOFF, WORKS, CASES = range(5)


@pytest.fixture(autouse=True)
def own_folders(tmp_path, monkeypatch):
    """No test sees or leaves anything in the folders of the person who runs it."""
    for name in ("CONFIG", "CACHE", "DATA", "STATE"):
        monkeypatch.setenv(f"XDG_{name}_HOME", str(tmp_path / name.lower()))
    runtime = tmp_path / "runtime"
    runtime.mkdir(mode=0o700)
    monkeypatch.setenv("XDG_RUNTIME_DIR", str(runtime))


@pytest.fixture(autouse=True)
def demo_built_once(request, monkeypatch):
    """Copies of the demo are made of the one that the worker has, which takes seconds to build.

    Tests that start the program as a process of its own build it.
    """
    monkeypatch.setattr("tarnwater.demo.study.build_demo", lambda *_: request.getfixturevalue("demo"))


#: What was computed and drained in this worker, under digests of all that it was made from.
RESPONSES: ResultCache = ResultCache(1 << 29)
RUNS = RunMemo()
DRAINED: dict = {}
READ: dict = {}
WHOLE = IdentityMemo(512)


@pytest.fixture(autouse=True)
def worked_out_once(monkeypatch):
    """What is computed for one window is there for the next one, and so is the terrain as it was drained.

    The same document is read as the same study, which never changes, so that what was found of it is found again.
    """

    def read(document, where=""):
        text = json.dumps(document)
        if text not in READ:
            READ[text] = study_of_any_format(document, where)
            if len(READ) > 64:
                del READ[next(iter(READ))]
        return READ[text]

    def refuse(study, before=None):
        parts = (study,) if before is None else (study, before)
        if WHOLE.get(parts) is None:
            refuse_what_cannot_be(study, before)
            WHOLE.put(parts, True)

    def drained(study, blobs, progress=None):
        made_from = study.terrain.model_dump_json(), str([f.model_dump_json() for f in study.ground_features.values()])
        if made_from not in DRAINED:
            DRAINED[made_from] = terrain_of(study, blobs, progress)
        return DRAINED[made_from]

    monkeypatch.setattr("tarnwater.desk.desk.ResultCache", lambda: RESPONSES)
    monkeypatch.setattr("tarnwater.desk.desk.RunMemo", lambda: RUNS)
    monkeypatch.setattr("tarnwater.study.file.study_file.study_of_any_format", read)
    monkeypatch.setattr("tarnwater.study.file.study_file.refuse_what_cannot_be", refuse)
    monkeypatch.setattr("tarnwater.study.edits.conditioning.terrain_of", drained)


class Hand:
    """A person at the window: keys and mouse, and waiting until what they set off is done."""

    def __init__(self, qtbot, window):
        self.bot, self.window, self.desk = qtbot, window, window.desk

    def settle(self, timeout=30_000):
        ground = self.desk.ground
        self.bot.waitUntil(
            lambda: not (self.desk.computing or ground.working or ground.tracing or self.desk.aside.tasks),
            timeout=timeout,
        )
        self.bot.wait(20)
        self.back()

    def key(self, key, modifier=Qt.KeyboardModifier.NoModifier, on=None):
        self.bot.keyClick(on or QApplication.focusWidget() or self.window, key, modifier)

    def write(self, text, on=None):
        for letter in text:
            # the first letter may open a cell, which takes the others
            self.bot.keyClicks(on or QApplication.focusWidget(), letter)

    def click(self, widget, at=None, modifier=Qt.KeyboardModifier.NoModifier):
        self.bot.mouseClick(widget, Qt.MouseButton.LeftButton, modifier, at or widget.rect().center())

    def drag(self, widget, start, end, steps=6):
        self.bot.mousePress(widget, Qt.MouseButton.LeftButton, pos=start)
        for step in range(1, steps + 1):
            self.bot.mouseMove(widget, start + (end - start) * step / steps)
        self.bot.mouseRelease(widget, Qt.MouseButton.LeftButton, pos=end)

    def click_menu(self, words):
        """Choose an entry of the menu that is open, by the mouse."""
        menu = []

        def there():
            menu[:] = [m for m in self.window.findChildren(QMenu) if m.isVisible()]
            return bool(menu)

        self.bot.waitUntil(there, timeout=2_000)
        entry = next(a for a in menu[-1].actions() if a.text() == words)
        self.bot.mouseClick(menu[-1], Qt.MouseButton.LeftButton, pos=menu[-1].actionGeometry(entry).center())
        self.settle()

    def bench(self, number):
        self.key(getattr(Qt.Key, f"Key_{number + 1}"), CTRL, on=self.window)
        self.bot.wait(20)
        return self.window.bench

    def find(self, letters):
        """Find an action or an element by letters, and choose it."""
        from tarnwater.desk.widgets.finder import Finder

        self.key(Qt.Key.Key_K, CTRL, on=self.window)
        finder = self.dialog(Finder)
        self.write(letters, on=finder.line)
        self.key(Qt.Key.Key_Return, on=finder.line)
        self.bot.wait(10)
        self.back()

    def dialogs(self, kind=QDialog):
        return [d for d in self.window.findChildren(kind) if d.isVisible() and d.isWindow()]

    def dialog(self, kind=QDialog):
        """The dialog of a kind that is open."""
        found = []

        def there():
            found[:] = self.dialogs(kind)
            return bool(found)

        self.bot.waitUntil(there, timeout=5_000)
        return found[-1]

    def when_open(self, kind, act):
        """Call ``act`` with the dialog of a kind that opens next.

        A dialog keeps its own loop of events, so what answers it looks for it again and again between the
        others: were it to wait for it, what is to open it could not go on.
        """
        looking = QTimer(self.window)

        def look():
            opened = self.dialogs(kind)
            if opened:
                looking.stop()
                act(opened[-1])

        looking.timeout.connect(look)
        looking.start(50)

    def answer_line(self, text, *later, kind=QInputDialog, then=Qt.Key.Key_Return):
        """Type over the line of the dialog that opens next, and end it by a key; ``later`` into those that follow."""

        def answer(asked):
            line = asked.findChild(QLineEdit)
            line.setFocus()
            self.key(Qt.Key.Key_A, CTRL, on=line)
            self.write(text, on=line)
            self.key(then, on=line)
            if later:
                self.answer_line(*later, kind=kind, then=then)

        self.when_open(kind, answer)

    def answer_file(self, path):
        """Paste a path into the file dialog that opens next, and press Enter when it stands there.

        The dialog reads its folder aside and writes the line anew when it has, so a person, too, looks first.
        """

        def answer(asked):
            line = asked.findChild(QLineEdit)
            pressing = QTimer(asked)

            def press():
                if line.text() == str(path):
                    self.key(Qt.Key.Key_Return, on=line)
                    return
                line.setFocus()
                QApplication.clipboard().setText(str(path))
                self.key(Qt.Key.Key_A, CTRL, on=line)
                self.key(Qt.Key.Key_V, CTRL, on=line)

            pressing.timeout.connect(press)
            pressing.start(200)

        self.when_open(QFileDialog, answer)

    def back(self):
        """A window manager would give the keys back to the window when a dialog has closed."""
        self.bot.wait(30)
        # a window may share the activation of its dialog, even when that is hidden
        active = QApplication.activeWindow() is self.window
        if not active and QApplication.activeModalWidget() is None and not self.dialogs():
            with self.bot.waitActive(self.window):
                self.window.activateWindow()

    def named(self, name, kind=QWidget, among=None):
        """The visible widget with an accessible name."""
        there = (among or self.window).findChildren(kind)
        return next(w for w in there if w.accessibleName() == name and w.isVisible())

    def fill(self, field, text):
        """Type over a field, or empty it, and press Enter."""
        field.setFocus()
        self.key(Qt.Key.Key_A, CTRL, on=field)
        self.write(text, on=field)
        if not text:
            self.key(Qt.Key.Key_Delete, on=field)
        self.key(Qt.Key.Key_Return, on=field)

    def click_cell(self, sheet, row, column):
        self.click(sheet.viewport(), sheet.visualRect(sheet.model().index(row, column)).center())

    def type_in_cell(self, sheet, row, column, text):
        self.click_cell(sheet, row, column)
        self.key(Qt.Key.Key_Return, on=sheet)
        editor = next(e for e in sheet.findChildren(QLineEdit) if e.isVisible())
        self.key(Qt.Key.Key_A, CTRL, on=editor)
        self.write(text, on=editor)
        self.key(Qt.Key.Key_Return, on=editor)
        # the sheet takes what was typed when the keys have been dealt with
        self.bot.wait(10)

    def draw(self, canvas, letter, *places):
        """Take up a tool of the map by its letter and click at its places, at the last one twice."""
        self.key(letter, on=canvas)
        for one in places:
            at = self.pixel(canvas, one)
            self.bot.mouseMove(canvas, at)
            self.click(canvas, at)
        self.bot.mouseDClick(canvas, Qt.MouseButton.LeftButton, pos=self.pixel(canvas, places[-1]))
        self.settle()

    def pixel(self, canvas, place):
        """Pixel on the map of a place."""
        x, y = canvas.view.pixel(*place)
        return QPoint(round(x), round(y))


@pytest.fixture
def open_window(qtbot, tmp_path):
    """Open a window on a study and wait until it is computed."""
    windows = []

    def make(study, blobs=None, theme=LIGHT, size=(1280, 800), bench=None):
        application()
        file = StudyFile.create(tmp_path / f"{len(windows)}.tarn.gpkg", study, blobs or Blobs())
        window = Window(Desk(file), theme, Preferences())
        lead_on(window)
        window.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose, on=False)
        window.resize(*size)
        windows.append(window)
        if bench is not None:  # so that the map is not painted for the tests of the other benches
            window.go_to(bench)
        with qtbot.waitActive(window):
            window.show()
        Hand(qtbot, window).settle()
        return window

    yield make
    for window in windows:
        window.close()
        window.deleteLater()
    qtbot.wait(1)


@pytest.fixture
def window(open_window, demo):
    """The demo in its window, on the Runoff bench."""
    return open_window(*demo, bench=RUNOFF)


@pytest.fixture
def hand(qtbot, window):
    """A person at the demo."""
    return Hand(qtbot, window)


@pytest.fixture
def empty(open_window, qtbot):
    """A person at an empty study."""
    return Hand(qtbot, open_window(Study(title="New")))


@pytest.fixture
def rained_on():
    """A study with rain and an outfall, and nothing else."""
    study = edits.add_element(Study(title="New"), Outfall(name="Bridge"))
    depths = ((24.0,), (43.0,), (88.0,))
    table = DepthTable(durations=(900.0, 3600.0, 21600.0), return_periods=(100.0,), depths=depths)
    study = edits.set_table(study, "t", table)
    family = StormFamily(table="t", return_periods=(100.0,), durations=(900.0, 3600.0, 21600.0))
    return edits.set_family(study, "f", family)
