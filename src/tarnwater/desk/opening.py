"""Opening windows on studies: one that is named, the last one, or at the first start a copy of the demo."""

from __future__ import annotations

import tempfile
from collections.abc import Callable
from pathlib import Path
from typing import TYPE_CHECKING

import platformdirs

from tarnwater.desk.dialogs.fault import Fault
from tarnwater.desk.faults import Faults
from tarnwater.errors import StudyFileError, TarnwaterError
from tarnwater.study.file import SUFFIX, StudyFile
from tarnwater.study.file.store import is_text

if TYPE_CHECKING:
    from tarnwater.desk.shell import Window

#: Windows that are open; Qt does not hold them.
WINDOWS: list[Window] = []


def open_window(path: Path | None) -> int:
    """Open the window on a study, by default the last one, and stay until it is closed; returns the exit code."""
    from tarnwater.desk.shell import application

    app = application()
    faults = Faults(app)
    faults.told.connect(show_fault)
    try:
        if path is not None:
            window_on(path)
        else:
            window_on_last()
        return app.exec()
    finally:
        for window in list(WINDOWS):
            window.desk.close()
        faults.close()


def show_fault(report: str) -> None:
    """Show a report over the active window; while one is shown, further ones are only logged."""
    shown = any(fault.isVisible() for window in WINDOWS for fault in window.findChildren(Fault))
    if WINDOWS and not shown:
        Fault(WINDOWS[-1], report).open()


def window_on_last() -> Window:
    """A window on the study opened last, or at first on the demo's copy.

    A reason why the last one cannot be opened is reported.
    """
    from tarnwater.desk.preferences import Preferences

    told = ""
    for last in Preferences().recent[:1]:
        try:
            return window_on(last)
        except TarnwaterError as error:
            told = str(error)
    window = window_on_demo()
    window.tell(told or window.message.text())
    return window


def window_on_demo() -> Window:
    """A window on the demo's copy; on a new copy where that one cannot be opened, which is reported."""
    try:
        return window_on(demo_copy())
    except TarnwaterError as error:
        window = window_on(new_demo(Path(tempfile.mkdtemp(prefix="tarnwater-"))))
        window.tell(str(error))
        return window


def window_on(path: Path) -> Window:
    """A window on a study file; raises the reason why it cannot be opened, and leaves nothing open."""
    from tarnwater.desk.desk import Desk
    from tarnwater.desk.preferences import Preferences, lock_study
    from tarnwater.desk.shell import Window

    lock = lock_study(path)
    try:
        file = open_file(path)
    except TarnwaterError:
        lock.unlock()
        raise
    try:
        preferences = Preferences()
        preferences.note_opened(path)
        window = Window(Desk(file), preferences=preferences, lock=lock)
    except BaseException:
        file.close()
        lock.unlock()
        raise
    lead_on(window)
    WINDOWS.append(window)
    window.destroyed.connect(lambda: WINDOWS.remove(window) if window in WINDOWS else None)
    window.show()
    return window


def lead_on(window: Window) -> None:
    """Open the studies that a window asks for in its place; an error is reported in it."""

    def turn_to(find: Callable[[], Path]) -> None:
        try:
            window_on(find())
        except TarnwaterError as error:
            window.tell(str(error))
        else:
            window.close()

    window.desk.study_wanted.connect(lambda path: turn_to(lambda: path))
    window.desk.demo_wanted.connect(lambda: turn_to(demo_copy))


def open_file(path: Path) -> StudyFile:
    """Open a study file; the text form is refused with how to convert it."""
    if is_text(path):
        raise StudyFileError(
            "the window works on a study file, where every edit is kept as it is made.",
            where=str(path),
            remedy=f"Convert it: tarnwater convert {path} {path.name.split('.')[0]}{SUFFIX}.",
        )
    return StudyFile.open(path)


def demo_copy() -> Path:
    """Path of a copy of the demo among the person's data, made the first time."""
    folder = Path(platformdirs.user_data_dir("tarnwater"))
    try:
        folder.mkdir(parents=True, exist_ok=True)
    except OSError:
        # if the home folder cannot be written, the demo is in a temporary folder
        folder = Path(tempfile.mkdtemp(prefix="tarnwater-"))
    return new_demo(folder)


def new_demo(folder: Path) -> Path:
    """Path of the demo in a folder, made where it is not there yet."""
    from tarnwater.demo.study import build_demo

    path = folder / f"pellow-beck{SUFFIX}"
    if not path.exists():
        StudyFile.create(path, *build_demo()).close()
    return path
