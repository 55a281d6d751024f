"""Cover and soil of the open study: catchments are measured on the maps in a thread, and entered as one act."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from typing import TYPE_CHECKING, Literal

from tarnwater.cover import CoverClass
from tarnwater.desk.ground import Ground, sentence
from tarnwater.progress import Progress
from tarnwater.study.document import Study
from tarnwater.study.document.cover import LandLayer
from tarnwater.study.document.land_maps import catchments_with_outline, following

if TYPE_CHECKING:
    from tarnwater.study.edits.land_survey import FoundLand

Change = Callable[[Study], Mapping[str, LandLayer]]


class LandOnMaps:
    """Acts that measure cover and soil again; they wait for each other and for those of the ground."""

    def __init__(self, ground: Ground) -> None:
        self._ground, self._desk = ground, ground.desk

    def measure(
        self,
        act: str,
        *,
        change: Change | None = None,
        classes: Mapping[str, CoverClass] | None = None,
        keys: Sequence[str] = (),
        uses: Literal["surfaces", "composite", ""] = "",
        then: Callable[[], None] | None = None,
    ) -> None:
        """Measure catchments, as one act with a ``change`` of the layers, made from the study when the work begins.

        Measured are those of ``keys`` and all that follow the maps; if there are neither, every one with an outline.
        """

        def start() -> None:
            from tarnwater.study.edits import land_survey

            study, blobs = self._desk.study, self._desk.file.blobs
            layers = None if change is None else change(study)
            base = of_land(study)

            def work(progress: Progress) -> FoundLand:
                trial = land_survey.with_maps(study, layers, classes)
                wanted = [key for key in study.catchments if key in {*keys, *following(trial)}]
                if not wanted and (layers or study.land_layers):
                    wanted = catchments_with_outline(trial)
                return land_survey.survey_land(trial, blobs, wanted, progress)

            def done(found: FoundLand) -> None:
                self._ground.ended()
                if of_land(self._desk.study) != base:
                    why = "the maps or catchments were changed meanwhile; nothing was done. Try again."
                    self._desk.told.emit(f"{sentence(act)}: {why}")
                    self._ground.changed.emit()
                    return
                taken = self._desk.do(land_survey.take_land, found, act, uses=uses, layers=layers, classes=classes)
                if taken and then is not None:
                    then()
                self._ground.changed.emit()

            self._ground.begin(work, done, "Measuring cover and soil")

        self._ground.in_turn(start)


def of_land(study: Study) -> tuple[object, ...]:
    """What a measurement of cover and soil stands on."""
    outlines = tuple((key, one.outline, one.area.derived) for key, one in study.catchments.items())
    return study.land_layers, study.cover_classes, study.conditions, outlines
