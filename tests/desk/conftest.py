"""The real window, offscreen, driven by mouse and keys."""

import os

os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")

import pytest

from tarnwater.desk.desk import Desk
from tarnwater.desk.shell import Window, application
from tarnwater.desk.theme import LIGHT
from tarnwater.network.elements import Outfall
from tarnwater.rain.depth_table import DepthTable
from tarnwater.rain.storms import StormFamily
from tarnwater.study import edits
from tarnwater.study.blobs import Blobs
from tarnwater.study.document import Study
from tarnwater.study.file import StudyFile


@pytest.fixture
def open_window(qtbot, tmp_path):
    """Open a window on a study and wait until it is computed."""
    windows = []

    def make(study, blobs=None, theme=LIGHT):
        application()
        file = StudyFile.create(tmp_path / f"{len(windows)}.tarn.gpkg", study, blobs or Blobs())
        window = Window(Desk(file), theme)
        windows.append(window)
        with qtbot.waitActive(window):
            window.show()
        qtbot.waitUntil(lambda: not window.desk.computing, timeout=30_000)
        return window

    yield make
    for window in windows:
        window.close()
        window.deleteLater()
    qtbot.wait(1)


@pytest.fixture
def window(open_window, demo):
    """The demo in its window."""
    return open_window(*demo)


@pytest.fixture
def rained_on():
    """A study with rain and an outfall, and nothing else."""
    study = edits.add_element(Study(title="New"), Outfall(name="Bridge"))
    depths = ((24.0,), (43.0,), (88.0,))
    table = DepthTable(durations=(900.0, 3600.0, 21600.0), return_periods=(100.0,), depths=depths)
    study = edits.set_table(study, "t", table)
    family = StormFamily(table="t", return_periods=(100.0,), durations=(900.0, 3600.0, 21600.0))
    return edits.set_family(study, "f", family)
