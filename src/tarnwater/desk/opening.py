"""Opening the window on a study file, or on a copy of the demo."""

from __future__ import annotations

from pathlib import Path

import platformdirs

from tarnwater.errors import StudyFileError
from tarnwater.study.file import StudyFile
from tarnwater.study.store import is_text


def open_window(path: Path | None) -> int:
    """Open the window and stay until it is closed; answers the exit code."""
    from tarnwater.desk.desk import Desk
    from tarnwater.desk.shell import Window, application

    file = demo_copy() if path is None else open_file(path)
    app = application()
    window = Window(Desk(file))
    window.show()
    return app.exec()


def open_file(path: Path) -> StudyFile:
    """Open a study file; the text form is refused with how to convert it."""
    if is_text(path):
        raise StudyFileError(
            "the window works on a study file, where every edit is kept as it is made.",
            where=str(path),
            remedy=f"Convert it: tarnwater convert {path} {path.name.split('.')[0]}.tarn.gpkg.",
        )
    return StudyFile.open(path)


def demo_copy() -> StudyFile:
    """A copy of the demo among the person's data, made the first time."""
    from tarnwater.demo.study import build_demo

    path = Path(platformdirs.user_data_dir("tarnwater", ensure_exists=True)) / "pellow-beck.tarn.gpkg"
    return StudyFile.open(path) if path.exists() else StudyFile.create(path, *build_demo())
