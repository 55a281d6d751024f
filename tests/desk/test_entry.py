"""The entry among the desktop's programs, the file type and the icon; the window after the demo."""

import configparser
import os
import shutil
import subprocess
from xml.etree import ElementTree

import pytest
from PyQt6.QtGui import QImage
from typer.testing import CliRunner

from tarnwater.cli import app
from tarnwater.desk import entry, opening


@pytest.fixture
def run():
    def run(*words, code=0):
        done = CliRunner().invoke(app, list(words))
        assert done.exit_code == code, done.output
        return done.output

    return run


def test_entry_file_type_and_icon_go_where_the_desktop_looks_and_are_removed(run, tmp_path):
    data = tmp_path / "data"
    said = run("desktop-entry")
    made = [data / "applications/tarnwater.desktop", data / "mime/packages/tarnwater.xml",
            data / "icons/hicolor/scalable/apps/tarnwater.svg"]  # fmt: skip
    assert all(path.exists() and str(path) in said for path in made)
    run("desktop-entry", "--remove")
    assert not any(path.exists() for path in made)


def test_the_entry_starts_this_program_on_a_study_of_its_type(run, tmp_path):
    run("desktop-entry")
    read = configparser.ConfigParser(interpolation=None)
    read.optionxform = str
    read.read(tmp_path / "data/applications/tarnwater.desktop")
    own = read["Desktop Entry"]
    assert os.access(own["TryExec"], os.X_OK)
    assert own["Exec"] == f"{own['TryExec']} window %f"
    assert entry.MIME_TYPE in own["MimeType"].split(";")
    assert own["Icon"] == "tarnwater"
    if shutil.which("desktop-file-validate"):
        path = tmp_path / "data/applications/tarnwater.desktop"
        assert subprocess.run(["desktop-file-validate", path], capture_output=True, text=True).stdout == ""


def test_the_file_type_knows_a_study_by_its_name():
    kind = ElementTree.fromstring(entry.FILE_TYPE.encode())[0]
    space = "{http://www.freedesktop.org/standards/shared-mime-info}"
    assert kind.get("type") == entry.MIME_TYPE
    assert kind.find(f"{space}glob").get("pattern") == "*.tarn.gpkg"


def test_the_icon_can_be_drawn(qapp):
    image = QImage(str(entry.ICON))
    assert not image.isNull()
    assert image.pixelColor(image.width() // 2, image.height() * 2 // 3).name() == "#0f6b6f"


@pytest.mark.slow
def test_the_window_opens_after_the_demo_where_a_display_is(run, tmp_path, monkeypatch):
    opened = []
    monkeypatch.setattr(opening, "open_window", lambda path: opened.append(path) or 0)
    for name in ("DISPLAY", "WAYLAND_DISPLAY"):
        monkeypatch.delenv(name, raising=False)
    out = tmp_path / "out"
    assert "There is no display here" in run("demo", "--out", str(out))
    assert opened == []
    monkeypatch.setenv("DISPLAY", ":9")
    run("demo", "--out", str(out))
    assert opened == [out / "pellow-beck.tarn.gpkg"]
