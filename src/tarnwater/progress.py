"""How long work tells of its progress and learns that it is no longer wanted.

Compiled loops release the interpreter lock, so another thread can read `Progress.share` and call
`Progress.cancel` while they run; they look at the flag once a row.
"""

from __future__ import annotations

from collections.abc import Callable

import numpy as np

from tarnwater.errors import Cancelled


class Progress:
    """Progress through the named stages of one piece of work.

    ``heard`` is called at every step with the stage and the share done (0 to 1); it may raise to
    stop the work. `cancel` may be called from any thread.
    """

    def __init__(self, heard: Callable[[str, float], None] | None = None) -> None:
        self.flag = np.zeros(1, dtype=np.uint8)
        self.stage = ""
        self.share = 0.0
        self._heard = heard

    def cancel(self) -> None:
        """Ask the work to stop; it raises `Cancelled` within a row's time."""
        self.flag[0] = 1

    def tell(self, stage: str, share: float) -> None:
        """Note that ``stage`` has begun and ``share`` of the whole is behind; raises `Cancelled`."""
        if self.flag[0]:
            raise Cancelled
        self.stage, self.share = stage, share
        if self._heard is not None:
            self._heard(stage, share)
