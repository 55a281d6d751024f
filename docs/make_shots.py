"""Makes the pictures of ``screenshots/`` from the demo; ``make shots`` runs it."""

from __future__ import annotations

import os
import tempfile
from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import replace
from pathlib import Path

os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")

from PyQt6.QtTest import QTest

from tarnwater.demo.study import COVERS, build_demo, data_path
from tarnwater.desk.benches.ground.import_land import ImportLand
from tarnwater.desk.benches.ground.import_shapes import ImportShapes
from tarnwater.desk.benches.rain.import_record import ImportRecord
from tarnwater.desk.desk import Desk, View
from tarnwater.desk.shell import Window, application
from tarnwater.desk.theme import DARK, LIGHT, Theme
from tarnwater.study.file import StudyFile

SHOTS = Path(__file__).parent / "screenshots"
GROUND, RAIN, RUNOFF, WORKS, CASES = range(5)


@contextmanager
def demo_window(theme: Theme = LIGHT) -> Iterator[Window]:
    """The demo in its window, all of it worked out."""
    with tempfile.TemporaryDirectory() as folder:
        os.environ["XDG_CACHE_HOME"] = os.environ["XDG_DATA_HOME"] = folder
        path = Path(folder) / "pellow-beck.tarn.gpkg"
        window = Window(Desk(StudyFile.create(path, *build_demo())), theme)
        window.resize(1280, 800)
        window.show()
        settle(window)
        yield window
        window.close()


def settle(window: Window) -> None:
    """Wait until nothing is under way and all is painted."""
    QTest.qWait(50)
    while window.desk.computing or window.desk.aside.tasks:
        QTest.qWait(50)
    QTest.qWait(300)


def keep(window: Window, name: str) -> None:
    """Save what the window shows."""
    settle(window)
    window.grab().save(str(SHOTS / f"{name}.png"))


def keep_import(window: Window) -> None:
    """Save the preview of the yard's drawing."""
    asked = ImportShapes(window, window.desk, LIGHT, data_path("yard.dxf"))
    asked.open()
    while asked.found is None:
        QTest.qWait(50)
    asked.table.setCurrentCell(0, 2)
    QTest.qWait(200)
    asked.grab().save(str(SHOTS / "import-shapes.png"))
    asked.close()


def keep_land(window: Window) -> None:
    """Save the yard's cover on the map with its table, and the preview of the county's cover."""
    desk, bench = window.desk, window.bench
    desk.look_at(View("yard-surfaced", "yard-outlet", 10.0))
    desk.select("coldgarth-yard")
    bench.show_land()
    bench.canvas.layers.show("cover", True)
    settle(window)
    x, y = desk.study.elements["coldgarth-yard"].place
    bench.canvas.view = replace(bench.canvas.view, scale=9 * bench.canvas.view.scale, x=x, y=y)
    bench.canvas.update()
    keep(window, "cover")
    bench.bring_land(data_path("cover.gpkg"))
    asked = bench.findChildren(ImportLand)[-1]
    while asked.found is None:
        QTest.qWait(50)
    for value, means in COVERS.items():
        asked.values.meaning_chosen.emit(value, means)
    QTest.qWait(300)
    asked.grab().save(str(SHOTS / "bring-in-cover.png"))
    asked.close()
    bench.canvas.layers.show("cover", False)
    desk.look_at(View("existing", "pellowford-outlet", 100.0))


def keep_records(window: Window) -> None:
    """Save a flawed record, its import, its maxima and events, and the rain of the catchments."""
    bench = window.bench
    for number, name in enumerate(("records", "maxima", "events", "catchment-rain"), start=1):
        bench.show_page(number)
        settle(window)
        keep(window, name)
    bench.show_page(1)
    bench.records.import_record(data_path("pellowford.csv"))
    asked = bench.records.findChildren(ImportRecord)[-1]
    QTest.qWait(300)
    asked.grab().save(str(SHOTS / "import-record.png"))
    asked.close()
    bench.show_page(0)


def main() -> None:
    """One picture of each bench at 1280 x 800, and of what stands beside them."""
    app = application()
    with demo_window() as window:
        desk = window.desk
        desk.select("mill-fold")
        window.go_to(GROUND)
        keep(window, "ground")
        bench = window.bench
        bench.show_changes()
        bench.changes.choose("coldgarth-road-culvert")
        bench.layers_button.setChecked(True)
        bench.canvas.layers.set_contours(20.0)
        settle(window)
        bench.canvas.view = bench.canvas.view.zoomed(4, *bench.canvas.view.pixel(345975, 555425), bench.canvas.extent)
        keep(window, "ground-changes")
        bench.layers_button.setChecked(False)
        keep_import(window)
        keep_land(window)
        window.go_to(RAIN)
        keep(window, "rain")
        keep_records(window)
        window.go_to(RUNOFF)
        desk.select("hask")
        window.ledger.ask("peak")
        keep(window, "reckoning")
        window.ledger.ask("peak")
        desk.pin("pellowford-outlet")
        desk.pin("yard-outlet")
        desk.type_values([("hask", "surfaces/0/loss/curve_number", 80.0)])
        keep(window, "runoff")
        desk.undo()
        while desk.pins:
            desk.replace_pin(0, None)
        window.go_to(WORKS)
        desk.select("coldgarth-pond")
        desk.look_at(View("yard-with-pond", "yard-outlet", 100.0))
        keep(window, "works")
        window.bench.show_page(1)
        keep(window, "channels")
        window.bench.show_page(2)
        keep(window, "culverts")
        window.bench.show_page(0)
        window.go_to(CASES)
        desk.look_at(View("existing", "pellowford-outlet", 100.0))
        desk.select("pellowford-outlet")
        keep(window, "cases")
        desk.look_at(View("yard-surfaced", "yard-outlet", 10.0))
        desk.select("yard-outlet")
        keep(window, "limits")
    with demo_window(DARK) as window:
        window.desk.select("mill-fold")
        window.go_to(GROUND)
        keep(window, "ground-dark")
    app.quit()


if __name__ == "__main__":
    main()
