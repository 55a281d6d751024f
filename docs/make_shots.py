"""Makes the pictures of ``screenshots/`` from the demo; ``make shots`` runs it."""

from __future__ import annotations

import os
import tempfile
from pathlib import Path

os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")

from PyQt6.QtTest import QTest

from tarnwater.demo.study import build_demo
from tarnwater.desk.desk import Desk, View
from tarnwater.desk.shell import Window, application
from tarnwater.study.file import StudyFile

SHOTS = Path(__file__).parent / "screenshots"


def main() -> None:
    """One picture of each bench at 1280 x 800."""
    app = application()
    with tempfile.TemporaryDirectory() as folder:
        window = Window(Desk(StudyFile.create(Path(folder) / "pellow-beck.tarn.gpkg", *build_demo())))
        window.show()
        while window.desk.computing:
            QTest.qWait(50)
        window.desk.select("mill-fold")
        for number, bench in enumerate(window.benches):
            if bench.title == "Cases":
                window.desk.look_at(View("yard-surfaced", "yard-outlet", 10.0))
                window.desk.select("yard-outlet")
            window.go_to(number)
            QTest.qWait(200)
            window.grab().save(str(SHOTS / f"{bench.title.lower()}.png"))
        window.close()
    app.quit()


if __name__ == "__main__":
    main()
