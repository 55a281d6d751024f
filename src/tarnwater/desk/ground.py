"""The terrain of the open study: its picture at once, its drainage when ready, and edits of its outlets."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from pathlib import Path
from typing import TYPE_CHECKING, Any, Protocol

import platformdirs
from PyQt6.QtCore import QObject, pyqtBoundSignal, pyqtSignal

from tarnwater.desk.aside import Aside
from tarnwater.errors import OutletError
from tarnwater.progress import Progress
from tarnwater.study.document import Outlet, Study
from tarnwater.study.edits import slug, unused_name
from tarnwater.study.file import StudyFile
from tarnwater.study.pictures.map import GroundPicture, picture_of, stream_field, terrain_digest
from tarnwater.terrain.drainage import Drainage
from tarnwater.terrain.features import GroundFeature
from tarnwater.terrain.lines import Lines
from tarnwater.terrain.outlets import Snapped, snap
from tarnwater.terrain.streams import StreamField
from tarnwater.terrain.voids import VoidTreatment
from tarnwater.units import show

if TYPE_CHECKING:
    from tarnwater.formats.raster import ElevationImport
    from tarnwater.study.edits.conditioning import ConditionedTerrain
    from tarnwater.study.edits.delineation import Survey


#: Settings of a terrain that stay when another one takes its place.
_SETTINGS = ("stream_threshold", "snap_radius", "breach_depth", "breach_length")


class InHand(Protocol):
    """The interface of the desk for the terrain: the study in its file, messages and edits."""

    aside: Aside
    file: StudyFile

    @property
    def study(self) -> Study:
        """The present study."""

    @property
    def study_changed(self) -> pyqtBoundSignal:
        """Signal after every change of the study."""

    @property
    def told(self) -> pyqtBoundSignal:
        """Signal with a message for the person."""

    def do(self, edit: Callable[..., Study], *args: Any, **kwargs: Any) -> bool:
        """Make an edit; returns whether it was made."""

    def select(self, key: str) -> None:
        """Select an element."""

    def fault(self, error: BaseException) -> None:
        """Report an unexpected error."""


def picture_file(digest: str) -> Path:
    """Path of the cached picture of a terrain."""
    return Path(platformdirs.user_cache_dir("tarnwater")) / "ground" / f"{digest}.npz"


class Ground(QObject):
    """Follows the study's terrain. ``picture`` is there first, ``drainage`` and ``field`` a little later."""

    changed = pyqtSignal()
    streams_changed = pyqtSignal()

    def __init__(self, desk: InHand, parent: QObject) -> None:
        super().__init__(parent)
        self.desk = desk
        self.picture: GroundPicture | None = None
        self.drainage: Drainage | None = None
        self.field: StreamField | None = None
        self.streams = Lines.of([])
        self._terrain = ""
        self._pictured = ""
        self._threshold = 0.0
        self._loading: Progress | None = None
        self._tracing: Progress | None = None
        self._wanted = 0.0
        self._working: Progress | None = None
        self._waiting: list[tuple[Callable[[], None], str]] = []
        self._setting = ""
        desk.study_changed.connect(self.follow)

    @property
    def working(self) -> bool:
        """Whether outlets are being surveyed or a terrain is being imported."""
        return self._working is not None

    @property
    def tracing(self) -> bool:
        """Whether streams at another threshold are being traced."""
        return self._tracing is not None

    def show_kept(self) -> None:
        """Show the cached picture, if there is one, until the terrain is ready."""
        terrain = self.desk.study.terrain
        if terrain is not None:
            self.picture = GroundPicture.load(picture_file(_digest(self.desk.study)))
            self.streams = Lines.of([]) if self.picture is None else self.picture.streams
            self._pictured = _digest(self.desk.study)

    def follow(self) -> None:
        """Load the terrain if it has changed; draw the streams if their threshold has changed."""
        terrain = self.desk.study.terrain
        if terrain is None:
            if self._terrain:
                self.picture = self.drainage = self.field = None
                self._terrain = ""
                self.changed.emit()
            return
        digest = _digest(self.desk.study, with_threshold=False)
        if digest != self._terrain:
            self._terrain, self._threshold = digest, terrain.stream_threshold
            self.drainage = self.field = None
            if self.picture is None or _digest(self.desk.study) != self._pictured:
                self.show_kept()
                self.changed.emit()
            self._load()
        elif terrain.stream_threshold != self._threshold:
            self.show_streams(terrain.stream_threshold)

    def _load(self) -> None:
        if self._loading is not None:
            superseded, self._loading = self._loading, None
            self.desk.aside.cancel(superseded)
        study, blobs, known = self.desk.study, self.desk.file.blobs, self.picture

        def work(progress: Progress) -> tuple[str, Drainage, StreamField, GroundPicture]:
            from tarnwater.study.edits.conditioning import terrain_of

            assert study.terrain is not None
            drainage = terrain_of(study, blobs, progress)
            field = stream_field(drainage)
            picture = known
            if picture is None:
                picture = picture_of(drainage, field.lines(study.terrain.stream_threshold))
                _keep(picture, _digest(study))
            return _digest(study, with_threshold=False), drainage, field, picture

        progress = self.desk.aside.run(
            work, self._loaded, self._failed, "Opening the terrain", lambda: self._cancelled(progress)
        )
        self._loading = progress

    def _loaded(self, found: tuple[str, Drainage, StreamField, GroundPicture]) -> None:
        self._loading = None
        digest, drainage, field, picture = found
        if digest == self._terrain:
            self._stand_on(drainage, field, picture)

    def _stand_on(self, drainage: Drainage, field: StreamField, picture: GroundPicture) -> None:
        self.drainage, self.field, self.picture = drainage, field, picture
        self.streams = picture.streams
        self.changed.emit()
        terrain = self.desk.study.terrain
        if terrain is not None and terrain.stream_threshold != self._threshold:
            self.show_streams(terrain.stream_threshold)

    def _failed(self, error: BaseException) -> None:
        self._loading = self._working = self._tracing = None
        self.desk.fault(error)
        self.changed.emit()

    def show_streams(self, threshold: float) -> None:
        """Draw the streams at a threshold (m2) while it is dragged; the last request counts."""
        self._wanted = threshold
        if self.field is None or self._tracing is not None:
            return
        field = self.field

        def traced(lines: Lines) -> None:
            self._tracing = None
            self._threshold, self.streams = threshold, lines
            self.streams_changed.emit()
            if self._wanted != threshold:
                self.show_streams(self._wanted)

        self._tracing = self.desk.aside.run(lambda progress: field.lines(threshold), traced, self._failed)

    def snapped(self, x: float, y: float, aim: float = 0.0) -> Snapped | None:
        """Where an outlet at a place would snap to; None before the terrain is ready; `OutletError` if it cannot.

        ``aim`` m is the accuracy of the pointer; a stream may be at this distance, or within the snap radius.
        """
        terrain = self.desk.study.terrain
        if self.drainage is None or terrain is None:
            return None
        return snap(self.drainage, x, y, threshold=terrain.stream_threshold, radius=max(terrain.snap_radius, aim))

    def take_in(self, read: ElevationImport, source: str) -> None:
        """Condition a terrain in a thread, with the features and limits there are, and put it into the study."""

        def start() -> None:
            study, blobs = self.desk.study, self.desk.file.blobs
            kept = () if study.terrain is None else _SETTINGS
            settings = {name: getattr(study.terrain, name) for name in kept}

            def make(progress: Progress) -> ConditionedTerrain:
                from tarnwater.study.edits.conditioning import condition_terrain

                return condition_terrain(
                    read.grid,
                    blobs,
                    source=source,
                    repairs=read.notes,
                    fills=read.fills,
                    features=study.ground_features,
                    progress=progress,
                    **settings,
                )

            self._condition(make, f"import the terrain {source}")

        self.in_turn(start)

    def reshape(
        self,
        act: str,
        *,
        change: Callable[[Study], Mapping[str, GroundFeature]] | None = None,
        treatments: Mapping[int, VoidTreatment] | None = None,
        settings: Mapping[str, float] | None = None,
        then: Callable[[], None] | None = None,
    ) -> None:
        """Condition the terrain again in a thread, with other features, treatments of voids or limits, as one act.

        ``change`` makes the features from the study as it is when the work begins.
        """

        def start() -> None:
            from tarnwater.study.edits.ground import only_marks, take_features

            study, blobs = self.desk.study, self.desk.file.blobs
            features = None if change is None else change(study)
            if features is not None and not treatments and not settings and only_marks(study, features):
                if self.desk.do(take_features, act, features) and then is not None:
                    then()
                self.changed.emit()
                return

            def make(progress: Progress) -> ConditionedTerrain:
                from tarnwater.study.edits.conditioning import condition_again

                return condition_again(
                    study, blobs, features=features, treatments=treatments, progress=progress, **(settings or {})
                )

            self._condition(make, act, then)

        self.in_turn(start)

    def _condition(
        self, make: Callable[[Progress], ConditionedTerrain], act: str, then: Callable[[], None] | None = None
    ) -> None:
        """Make a conditioned terrain in a thread, survey the outlets on it, and put both into the study."""
        from tarnwater.study.edits.delineation import completed, survey, take_survey

        study, blobs = self.desk.study, self.desk.file.blobs
        base = _of_ground(study)

        def work(progress: Progress) -> tuple[ConditionedTerrain, Survey, StreamField, GroundPicture]:
            made = make(progress.within(0, 0.8))
            found = survey(made.record, made.drainage, study.outlets, progress.within(0.8, 0.9))
            found = completed(study, found, made.drainage, blobs, progress.within(0.9, 1), made.features)
            field = stream_field(made.drainage)
            return made, found, field, picture_of(made.drainage, field.lines(made.record.stream_threshold))

        def done(answer: tuple[ConditionedTerrain, Survey, StreamField, GroundPicture]) -> None:
            made, found, field, picture = answer
            self._working = None
            if _of_ground(self.desk.study) != base:
                self.desk.told.emit(f"{sentence(act)}: the ground was changed meanwhile; nothing was done. Try again.")
                self.changed.emit()
                return
            self._terrain = terrain_digest(found.record, made.features, with_threshold=False)
            self._threshold = found.record.stream_threshold
            if self.desk.do(take_survey, found, blobs, act, features=made.features):
                _keep(picture, terrain_digest(found.record, made.features))
                self._stand_on(made.drainage, field, picture)
                if then is not None:
                    then()
            else:
                self._terrain = ""
                self.follow()

        self.begin(work, done, "Conditioning the terrain")

    def place_outlet(self, x: float, y: float, *, accept: bool = False) -> None:
        """Add an outlet at a place, with its catchment, under the next free name."""

        def start() -> None:
            study = self.desk.study
            name = unused_name(study, "Place")
            outlet = Outlet(name=name, asked=(x, y), accepted_as_is=accept)
            key = slug(name, {**study.all_elements, **study.outlets})
            act = f"place the outlet {name}"
            self._survey({**study.outlets, key: outlet}, act, lambda: self.desk.select(key))

        self.in_turn(start)

    def move_outlet(self, key: str, x: float, y: float) -> None:
        """Move an outlet to another place; derived values are updated, typed ones are kept."""

        def start() -> None:
            outlets = self.desk.study.outlets
            if key not in outlets:
                self.desk.told.emit("The outlet was removed meanwhile.")
                return
            moved = outlets[key].model_copy(update={"asked": (x, y), "accepted_as_is": False})
            self._survey({**outlets, key: moved}, f"move the outlet {moved.name}", lambda: self.desk.select(key))

        self.in_turn(start)

    def remove_outlets(self, keys: Sequence[str], also: Sequence[tuple[str, str]] = ()) -> None:
        """Remove outlets with their catchments; elements that drained to them drain to the next ones.

        ``also`` names other elements, each with its condition or none, that go in the same act.
        """
        named = self.desk.study.outlets[keys[0]].name
        many = len(keys) + len(also)
        act = f"remove the outlet {named}" if many == 1 else f"remove {many} elements"

        def start() -> None:
            outlets = self.desk.study.outlets
            self._survey({k: o for k, o in outlets.items() if k not in keys}, act, also_remove=also)

        self.in_turn(start)

    def divide(self, size: float, keys: Sequence[str] = ()) -> None:
        """Divide the catchments of some outlets, or of all, into parts of about a size, m2."""
        whole = len(keys) != 1
        of = "the catchments" if whole else f"the catchment {self.desk.study.outlets[keys[0]].name}"
        act = f"divide {of} into parts of about {show(size, 'area', self.desk.study.units)}"

        def outlets(study: Study, drainage: Drainage, progress: Progress) -> Mapping[str, Outlet]:
            from tarnwater.study.edits.outlets import divided_outlets

            return divided_outlets(study, drainage, size, keys, progress)

        self.in_turn(lambda: self._survey(outlets, act))

    def place_outlets(self, outlets: Mapping[str, Outlet], act: str) -> None:
        """Place several outlets beside those of the study, as one act."""

        def more(study: Study, drainage: Drainage, progress: Progress) -> Mapping[str, Outlet]:
            from tarnwater.study.edits.outlets import with_outlets

            return with_outlets(study, [(outlet.name, outlet) for outlet in outlets.values()])

        self.in_turn(lambda: self._survey(more, act))

    def set_threshold(self, threshold: float) -> None:
        """Set the stream threshold area; outlets are snapped again."""
        act = "set the stream threshold"
        self.in_turn(lambda: self._survey(self.desk.study.outlets, act, stream_threshold=threshold), act)

    def set_snap_radius(self, radius: float) -> None:
        """Set the snap radius, m; outlets are snapped again."""
        act = "set the snap radius"
        self.in_turn(lambda: self._survey(self.desk.study.outlets, act, snap_radius=radius), act)

    def in_turn(self, start: Callable[[], None], setting: str = "") -> None:
        """Start some work on the ground, after the work that is under way.

        Of one ``setting`` only the last value counts: work for an earlier one is given up.
        """
        if self._working is not None and setting and self._setting == setting:
            superseded, self._working = self._working, None
            self.desk.aside.cancel(superseded)
        if self._working is None:
            self._setting = setting
            start()
        else:
            self._waiting = [w for w in self._waiting if not setting or w[1] != setting]
            self._waiting.append((start, setting))

    def _go_on(self) -> None:
        """Start the work that waits."""
        while self._working is None and self._waiting:
            start, self._setting = self._waiting.pop(0)
            start()

    def _survey(
        self,
        outlets: Mapping[str, Outlet] | Callable[[Study, Drainage, Progress], Mapping[str, Outlet]],
        act: str,
        then: Callable[[], None] | None = None,
        also_remove: Sequence[tuple[str, str]] = (),
        **options: float,
    ) -> None:
        from tarnwater.study.edits.delineation import completed, survey, take_survey

        study, drainage = self.desk.study, self.drainage
        if drainage is None or study.terrain is None:
            self.desk.told.emit(f"{sentence(act)}: the terrain is still being opened. Try again in a moment.")
            return
        record = study.terrain.model_copy(update=options)
        base = _of_ground(study)

        def done(found: object) -> None:
            self._working = None
            if _of_ground(self.desk.study) != base:
                self.desk.told.emit(f"{sentence(act)}: the ground was changed meanwhile; nothing was done. Try again.")
            elif self.desk.do(take_survey, found, self.desk.file.blobs, act, also_remove) and then is not None:
                then()
            self.changed.emit()

        def failed(error: BaseException) -> None:
            self._failed(error)
            if isinstance(error, OutletError) and self.desk.study.terrain is not None:
                self.show_streams(self.desk.study.terrain.stream_threshold)

        def work(progress: Progress) -> Survey:
            asked = outlets(study, drainage, progress) if callable(outlets) else outlets
            found = survey(record, drainage, asked, progress.within(0, 0.5))
            return completed(study, found, drainage, self.desk.file.blobs, progress.within(0.5, 1))

        self.begin(work, done, "Surveying the outlets", failed)

    def begin(
        self,
        work: Callable[[Progress], object],
        done: Callable[..., None],
        title: str,
        failed: Callable[[BaseException], None] | None = None,
    ) -> None:
        """Do work in a thread; ``done`` takes its answer, then what waits is begun."""

        def ended(answer: object) -> None:
            done(answer)
            self._go_on()

        def gone_wrong(error: BaseException) -> None:
            (failed or self._failed)(error)
            self._go_on()

        progress = self.desk.aside.run(work, ended, gone_wrong, title, lambda: self._cancelled(progress))
        self._working = progress

    def ended(self) -> None:
        """The work that was begun has its answer."""
        self._working = None

    def _cancelled(self, progress: Progress) -> None:
        """The person cancelled the work: nothing was changed, and what waits for it is not done."""
        if progress is self._working:
            self._waiting = []
            self._working = None
            self.desk.told.emit("Stopped: the study is unchanged.")
        elif progress is self._loading:
            self._loading, self._terrain = None, ""
            self.desk.told.emit("Stopped: the terrain is not open, outlets cannot be moved. F5 opens it.")
        self.changed.emit()


def _digest(study: Study, *, with_threshold: bool = True) -> str:
    assert study.terrain is not None
    return terrain_digest(study.terrain, study.ground_features, with_threshold=with_threshold)


def sentence(act: str) -> str:
    """The name of an act as the beginning of a message."""
    return act[:1].upper() + act[1:]


def _of_ground(study: Study) -> tuple[object, ...]:
    """What a survey of the ground stands on."""
    return study.terrain, study.outlets, study.ground_features


def _keep(picture: GroundPicture, digest: str) -> None:
    """Cache a picture for the next start; a full disk only costs time."""
    try:
        picture.save(picture_file(digest))
    except OSError:
        return
