"""Progress and cancelling of long work.

Compiled loops release the interpreter lock, so another thread can read `Progress.share` and call
`Progress.cancel` while they run; they check the flag once in each row.
"""

from __future__ import annotations

from collections.abc import Callable

import numpy as np

from tarnwater.errors import Cancelled


class Progress:
    """Progress of a piece of work through named stages.

    ``heard`` is called at every step with the stage and the share done (0 to 1); it may raise to
    stop the work. `cancel` may be called from any thread.
    """

    def __init__(self, heard: Callable[[str, float], None] | None = None) -> None:
        self.flag = np.zeros(1, dtype=np.uint8)
        self.stage = ""
        self.share = 0.0
        self._heard = heard

    def within(self, begin: float, end: float) -> Progress:
        """Progress of a part of the work, from share ``begin`` to ``end`` of this one; it is cancelled with it."""
        part = Progress(lambda stage, share: self.tell(stage, begin + (end - begin) * share))
        part.flag = self.flag
        return part

    def cancel(self) -> None:
        """Cancel the work; it raises `Cancelled` within the time of a row."""
        self.flag[0] = 1

    def raise_if_cancelled(self) -> None:
        """Raise `Cancelled` if the work is cancelled."""
        if self.flag[0]:
            raise Cancelled

    def tell(self, stage: str, share: float) -> None:
        """Report that ``stage`` has begun and ``share`` of the whole is done; raises `Cancelled`."""
        self.raise_if_cancelled()
        self.stage, self.share = stage, share
        if self._heard is not None:
            self._heard(stage, share)
