"""The reach: a channel that carries and delays."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace
from typing import ClassVar, Literal

from tarnwater.methods import Derivation, Doubtful, Missing
from tarnwater.network.elements.element import MEASURED, Answer, AskedOfElement, Element, Shape, Situation
from tarnwater.parameters import Setting, parameter
from tarnwater.routing.reaches import Muskingum, ReachMethod


class Reach(Element):
    """A channel that carries and delays flow.

    ``raw_slope`` is its slope on the raw terrain.
    """

    kind: Literal["reach"] = "reach"

    shape: ClassVar[Shape] = "bar"
    smooths: ClassVar[bool] = True
    mapped: ClassVar[tuple[str, ...]] = ("path", "raw_slope")

    length: Setting[float] = parameter(
        "length",
        "length along the flow",
        label="reach length",
        symbol="L",
        least=0,
        usual=(10, 2e5),
        source=MEASURED,
        default=Setting[float](),
    )
    slope: Setting[float] = parameter(
        "slope",
        "fall over length",
        label="reach slope",
        symbol="S",
        usual=(1e-5, 0.5),
        source=MEASURED,
        default=Setting[float](),
    )
    celerity: Setting[float] = parameter(
        "speed",
        "celerity of the flood wave",
        label="wave celerity",
        symbol="c",
        above=0,
        most=100,
        usual=(0.2, 6),
        source="typed",
        default=Setting[float](),
    )
    method: ReachMethod = Muskingum()
    path: str | None = None
    raw_slope: float | None = None

    def missing(self) -> list[Missing]:
        """Missing values of its method."""
        return [one.within("method") for one in self.method.missing()]

    def refreshed(self) -> Reach:
        """A copy with its method derived again from length and celerity."""
        return self.model_copy(update={"method": self.method.refreshed(self.length.value, self.celerity.value)})

    def doubts(self, steps: Sequence[float]) -> list[tuple[str, Doubtful]]:
        """Doubts of its method."""
        return [("method", one) for one in self.method.doubts(list(steps))]

    def memory(self, step: float) -> float:
        """Longest delay by its method, about, s."""
        return self.method.memory()

    def respond(self, situation: Situation) -> Answer:
        """The inflow routed by its method; its state is that of the method."""
        out = situation.out
        routed = self.method.route(situation.inflow, situation.state, out)
        hydrograph = routed.hydrograph
        if hydrograph.flow is not out:
            out[...] = hydrograph.flow
            hydrograph = replace(hydrograph, flow=out)
        return Answer((hydrograph,), routed.state, start_storage=routed.start_stored, end_storage=routed.stored)

    def flow(self, asked: AskedOfElement) -> Derivation:
        """The derivation of its outflow by its method."""
        inflow = replace(asked.inflow, title=f"inflow of {self.name}", symbol="I")
        return self.method.routed(inflow, asked.method("method"))
