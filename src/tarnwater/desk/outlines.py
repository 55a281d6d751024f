"""Acts on outlines of catchments: made and measured in a thread, and entered as one act."""

from __future__ import annotations

from collections.abc import Callable
from typing import TYPE_CHECKING

from tarnwater.desk.ground import Ground, sentence
from tarnwater.desk.land import of_land
from tarnwater.progress import Progress
from tarnwater.study.document import Study
from tarnwater.study.document.blobs import Blobs

if TYPE_CHECKING:
    from tarnwater.study.edits.outlines import MeasuredOutlines, Redrawn

    Make = Callable[[Study, Blobs], Redrawn]


class OutlineActs:
    """Draws, reshapes, splits, merges and mends; acts wait for each other and for those of the ground."""

    def __init__(self, ground: Ground) -> None:
        self._ground, self._desk = ground, ground.desk

    def redraw(self, act: str, make: Make, then: Callable[[MeasuredOutlines], None] | None = None) -> None:
        """Make other outlines from the study as it is when the work begins, and enter them."""

        def start() -> None:
            from tarnwater.study.edits.outlines import measured, take_outlines

            study, blobs, drainage = self._desk.study, self._desk.file.blobs, self._ground.drainage
            base = of_land(study)
            if study.terrain is not None and drainage is None:
                self._desk.told.emit(f"{sentence(act)}: the terrain is still being opened. Try again in a moment.")
                return

            def work(progress: Progress) -> MeasuredOutlines:
                return measured(study, blobs, make(study, blobs), drainage, progress)

            def done(made: MeasuredOutlines) -> None:
                self._ground.ended()
                if of_land(self._desk.study) != base:
                    told = "the catchments were changed meanwhile; nothing was done. Try again."
                    self._desk.told.emit(f"{sentence(act)}: {told}")
                elif self._desk.do(take_outlines, made, blobs, act) and then is not None:
                    then(made)
                self._ground.changed.emit()

            self._ground.begin(work, done, "Measuring the outlines")

        self._ground.in_turn(start)
