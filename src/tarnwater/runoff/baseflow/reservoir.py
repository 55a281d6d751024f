"""Baseflow from a linear reservoir that infiltration feeds."""

from __future__ import annotations

from collections.abc import Mapping
from typing import ClassVar, Literal

import numpy as np

from tarnwater.parameters import Setting, parameter
from tarnwater.runoff.baseflow.baseflow import Baseflow, FromGround, OverGround

SOURCE = "Chow, Maidment and Mays (1988), Section 8.5: the linear reservoir"


class ReservoirBaseflow(Baseflow):
    """Groundwater that empties in proportion to what it holds.

    A share of what infiltrates feeds it; the rest leaves to deep ground. Infiltration is all rain that neither runs off
    nor fills depressions, evenly over each step, for which the outflow is exact.
    """

    method: Literal["reservoir"] = "reservoir"
    share: Setting[float] = parameter(
        "share", "share of the infiltration that feeds the groundwater", label="share of infiltration", symbol="sg",
        least=0, most=1, source="typed", default=Setting[float](),
    )  # fmt: skip
    storage_time: Setting[float] = parameter(
        "time", "storage time of the groundwater", label="storage time of groundwater", symbol="kg", least=60.0,
        most=3.2e8, usual=(86400, 3.2e7), source=SOURCE, default=Setting[float](),
    )  # fmt: skip
    flow: float = parameter(
        "flow", "flow from the ground at the start of a run", label="baseflow at the start", symbol="Q0", least=0,
        most=1e6, usual=(0, 50), source="typed", default=0.0,
    )  # fmt: skip

    title: ClassVar[str] = "linear reservoir of groundwater"
    equation: ClassVar[str] = "dS/dt = sg F − Qb, S = kg Qb"
    source: ClassVar[str] = SOURCE
    verified: ClassVar[str] = "the exponential recession, the rise under steady rain; balances on random networks"

    fed: ClassVar[bool] = True
    needs: ClassVar[Mapping[str, str]] = {"share": "Type it.", "storage_time": "Type it."}

    def respond(self, given: OverGround) -> FromGround:
        """The outflow of the reservoir; its state is that flow (case,) m3/s."""
        from scipy.signal import lfilter

        assert given.entered is not None
        share, held = self.share.known, self.storage_time.known
        start = np.full(given.cases, self.flow) if given.state is None else given.state
        fed = np.zeros((given.cases, given.steps))
        fed[:, : given.entered.shape[1]] = share * given.entered
        # under an even feed f the flow nears f exponentially: Q2 = f + (Q1 - f) e^(-dt/k)
        kept = np.exp(-given.step / held)
        rise = fed * (-np.expm1(-given.step / held) / given.step)
        flow = np.empty((given.cases, given.steps + 1))
        flow[:, 0] = start
        flow[:, 1:] = lfilter([1.0], [1.0, -kept], rise, axis=1, zi=(kept * start)[:, None])[0]
        left = fed - held * np.diff(flow, axis=1)
        uneven = left - 0.5 * given.step * (flow[:, 1:] + flow[:, :-1])
        return FromGround(
            flow,
            np.zeros(given.cases),
            flow[:, -1].copy(),
            fed=fed.sum(axis=1),
            start_stored=held * start,
            stored=held * flow[:, -1],
            uneven=uneven,
        )
