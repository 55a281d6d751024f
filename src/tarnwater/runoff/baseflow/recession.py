"""Baseflow that recedes, and takes over when a flood has fallen."""

from __future__ import annotations

from typing import ClassVar, Literal

import numpy as np

from tarnwater.parameters import Setting, parameter
from tarnwater.runoff.baseflow.baseflow import Baseflow, FromGround, OverGround

SOURCE = "Linsley, Kohler and Paulhus (1982), Hydrology for Engineers, Section 7.2: the recession constant"

#: Seconds in a day.
DAY = 86400.0


class RecessionBaseflow(Baseflow):
    """A flow from the ground that falls by a constant ratio each day.

    Where a flood has fallen to a share of its greatest flow, or to a typed flow, the recession goes on from there: the
    total flow is that recession until direct runoff and baseflow exceed it again.
    """

    method: Literal["recession"] = "recession"
    flow: float = parameter(
        "flow", "flow from the ground at the start of a run", label="baseflow at the start", symbol="Q0", least=0,
        most=1e6, usual=(0, 50), source="typed", default=0.0,
    )  # fmt: skip
    ratio: float = parameter(
        "share", "flow a day later over flow now", label="recession ratio a day", symbol="k", above=0, below=1,
        usual=(0.1, 0.999), source=SOURCE, default=0.9,
    )  # fmt: skip
    takeover: float = parameter(
        "share", "share of the greatest flow since the last time at which the recession takes over",
        label="takeover at a share of the peak", symbol="sr", above=0, below=1, usual=(0.01, 0.5), source="typed",
        default=0.1,
    )  # fmt: skip
    takeover_flow: Setting[float] = parameter(
        "flow", "flow at which the recession takes over", label="takeover at a flow", symbol="Qr", above=0, most=1e6,
        source="a share of the peak, where it is not typed", default=Setting[float](),
    )  # fmt: skip

    title: ClassVar[str] = "recession"
    equation: ClassVar[str] = "Q = Q0 k^days; after the takeover at Qr, Q = max(direct + base, Qr k^days)"
    source: ClassVar[str] = SOURCE
    verified: ClassVar[str] = (
        "the exponential itself, the takeover of an exponential flood by hand; balances and cut runs on random networks"
    )

    follows_runoff: ClassVar[bool] = True

    def respond(self, given: OverGround) -> FromGround:
        """The recession; its state is baseflow, recession and greatest flow since the takeover, (case,) m3/s each."""
        from tarnwater.runoff import _kernels as kernels

        direct = np.ascontiguousarray(given.direct)
        if given.state is None:
            # at rest nothing was greater yet, and no recession has taken over
            state = np.column_stack([np.full(given.cases, self.flow), np.zeros((given.cases, 2))])
        else:
            state = np.column_stack(given.state)
        at = self.takeover_flow.value
        flow = np.empty_like(direct)
        kept = self.ratio ** (given.step / DAY)
        kernels.recession_kernel(direct, kept, self.takeover, -1.0 if at is None else at, state, flow)
        return given.series(flow, tuple(state[:, part].copy() for part in range(3)))
