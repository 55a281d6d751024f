"""Commands on whole studies: new, open, save as, write, print."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path
from typing import TYPE_CHECKING, cast

from PyQt6.QtWidgets import QFileDialog

from tarnwater.desk.acts.room import Room
from tarnwater.errors import TarnwaterError
from tarnwater.progress import Progress
from tarnwater.study.document import Study
from tarnwater.study.file import SUFFIX, StudyFile

if TYPE_CHECKING:
    from tarnwater.desk.benches.ground import GroundBench
    from tarnwater.desk.benches.rain import RainBench
    from tarnwater.study.pictures.land import Theme


MAP_FILES = (
    "GeoPackage (*.gpkg);;GeoJSON (*.geojson);;Shapefiles (*.shp);;Drawing (*.dxf);;Conditioned heights (*.tif);;"
    "Picture (*.png);;Picture (*.svg);;Page (*.pdf)"
)

STUDY_FILES = f"Studies (*{SUFFIX});;All files (*)"


class StudyActs:
    """Commands on the study and its file."""

    def __init__(self, room: Room) -> None:
        self._room, self._desk = room, room.desk

    def show_points(self) -> None:
        """Keep, compare and restore named points."""
        from tarnwater.desk.dialogs.named_points import NamedPoints

        NamedPoints(self._room.widget, self._desk).open()

    def show_details(self) -> None:
        """Title, number, author and checker."""
        from tarnwater.desk.dialogs.study_details import StudyDetails

        StudyDetails(self._room.widget, self._desk).open()

    def open_terrain(self) -> None:
        """Open a terrain on the Ground bench."""
        self._ground.open_terrain()

    def import_shapes(self) -> None:
        """Import shapes on the Ground bench."""
        self._ground.import_shapes()

    def bring_land(self) -> None:
        """Bring a map of cover or soil to the Ground bench."""
        self._ground.bring_land()

    def show_maps(self) -> None:
        """Show the maps of cover and soil."""
        self._ground.show_maps()

    def show_classes(self) -> None:
        """Show the classes of cover."""
        self._ground.show_classes()

    def measure_land(self) -> None:
        """Measure cover and soil again."""
        self._ground.measure_land()

    def import_record(self) -> None:
        """Import a record on the Rain bench."""
        self._rain.show_page(1)
        self._rain.records.import_record()

    def show_rain(self, number: int) -> None:
        """Show a page of the Rain bench."""
        self._rain.show_page(number)

    @property
    def _rain(self) -> RainBench:
        """The Rain bench, brought to the front."""
        self._room.go_to_bench("Rain")
        return cast("RainBench", self._room.bench)

    @property
    def _ground(self) -> GroundBench:
        """The Ground bench, brought to the front."""
        self._room.go_to_bench("Ground")
        return cast("GroundBench", self._room.bench)

    def new_study(self) -> None:
        """Begin an empty study in a file of its own."""
        path = self._asked_path("New study", "new-study")
        if path is not None:
            title = path.name.removesuffix(SUFFIX).replace("-", " ").replace("_", " ").strip().capitalize()
            study = self._desk.study
            # a new study begins in the units last used
            new = Study(title=title or "New study", units=study.units, entry_units=study.entry_units)
            self._made(lambda: StudyFile.create(path, new), path)

    def keep_as(self) -> None:
        """Save the study as another file, and continue in that file."""
        path = self._asked_path("Save as another file", self._desk.file.path.name.removesuffix(SUFFIX))
        if path is not None:
            self._made(lambda: self._desk.file.keep_as(path), path)

    def write_results(self) -> None:
        """Ask for a folder, and write tables of peaks, hydrographs and balances into it."""
        chosen = QFileDialog.getExistingDirectory(
            self._room.widget, "Folder for peaks and hydrographs", str(self._desk.file.path.parent),
            options=QFileDialog.Option.DontUseNativeDialog | QFileDialog.Option.ShowDirsOnly,
        )  # fmt: skip
        results = self._desk.results
        if not chosen or results is None:
            return
        from tarnwater.brief.tables import write_tables

        def done(written: object) -> None:
            names = ", ".join(path.name for path in cast("list[Path]", written))
            self._room.say(f"Written into {chosen}: {names}.")

        self._desk.aside.run(lambda progress: write_tables(results, Path(chosen)), done, self._desk.fault, "Writing")

    def write_netcdf(self) -> None:
        """Ask for a file, and write the governing cases into it by the CF conventions."""
        chosen, _ = QFileDialog.getSaveFileName(
            self._room.widget, "Write hydrographs", f"{self._desk.file.path.name.split('.')[0]}.nc",
            "NetCDF (*.nc);;All files (*)", options=QFileDialog.Option.DontUseNativeDialog,
        )  # fmt: skip
        results = self._desk.results
        if not chosen or results is None:
            return
        path = Path(chosen) if Path(chosen).suffix else Path(chosen).with_suffix(".nc")

        def work(progress: Progress) -> None:
            from tarnwater.brief.arrays import write_netcdf

            write_netcdf(results, path)

        def done(_: object) -> None:
            self._room.say(f"Wrote {path.name}.")

        self._desk.aside.run(work, done, self._desk.fault, "Writing")

    def export_map(self) -> None:
        """Ask for a file, and write the map into it: layers, a grid, or a picture, by the end of its name."""
        chosen, kind = QFileDialog.getSaveFileName(
            self._room.widget, "Write the map", f"{self._desk.file.path.name.split('.')[0]}-map.gpkg", MAP_FILES,
            options=QFileDialog.Option.DontUseNativeDialog,
        )  # fmt: skip
        if not chosen:
            return
        path = Path(chosen)
        if not path.suffix:
            path = path.with_suffix(kind.split("*")[1].split(")")[0].split(" ")[0])
        study, blobs, drainage = self._desk.study, self._desk.file.blobs, self._desk.ground.drainage
        land = self._land_shown()

        def work(_: object) -> list[Path]:
            from tarnwater.brief.exports import write_export
            from tarnwater.study.file.kept import read_kept

            return write_export(path, study, blobs, drainage, land=land, names=read_kept().names_out)

        def done(written: list[Path]) -> None:
            names = ", ".join(one.name for one in written)
            self._room.say(f"Written into {path.parent}: {names}.")

        self._desk.aside.run(work, done, self._desk.fault, "Writing the map")

    def _land_shown(self) -> Theme | None:
        """The map of cover or soils that the Ground bench shows; a picture of the map shows it too."""
        layers = self._ground.canvas.layers
        themes: tuple[Theme, ...] = ("cover", "soils")
        return next((one for one in themes if layers.opacity(one) > 0), None)

    def print_view(self) -> None:
        """Ask for a PDF file, and print the reckoning, the table or the plots in view into it."""
        chosen, _ = QFileDialog.getSaveFileName(
            self._room.widget, "Print to PDF", f"{self._room.bench_title.lower()}.pdf", "PDF (*.pdf)",
            options=QFileDialog.Option.DontUseNativeDialog,
        )  # fmt: skip
        if not chosen:
            return
        from tarnwater.desk.printing import print_view

        path = Path(chosen if chosen.endswith(".pdf") else f"{chosen}.pdf")
        try:
            answer = self._room.ledger.answer
            what = print_view(self._desk, self._room.bench, None if answer is None else answer.node, path)
        except (TarnwaterError, OSError) as error:
            self._room.tell(str(error))
        else:
            self._room.say(f"Printed {what}: {path}.")

    def _asked_path(self, title: str, name: str) -> Path | None:
        chosen, _ = QFileDialog.getSaveFileName(
            self._room.widget, title, f"{name}{SUFFIX}", STUDY_FILES, options=QFileDialog.Option.DontUseNativeDialog
        )
        if not chosen:
            return None
        return Path(chosen if chosen.endswith(SUFFIX) else f"{chosen}{SUFFIX}")

    def _made(self, make: Callable[[], StudyFile], path: Path) -> None:
        try:
            make().close()
        except TarnwaterError as error:
            self._room.tell(str(error))
        else:
            self.open_path(path)

    def open_study(self) -> None:
        """Ask for a study file and open it."""
        chosen, _ = QFileDialog.getOpenFileName(
            self._room.widget, "Open a study", str(self._desk.file.path.parent), STUDY_FILES,
            options=QFileDialog.Option.DontUseNativeDialog,
        )  # fmt: skip
        if chosen:
            self.open_path(Path(chosen))

    def open_demo(self) -> None:
        """Open the copy of the demo."""
        self._desk.demo_wanted.emit()

    def open_path(self, path: Path) -> None:
        """Open another study in this window's place; an error is reported."""
        self._desk.study_wanted.emit(path)
