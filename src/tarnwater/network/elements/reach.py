"""The reach: a channel that carries and delays."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace
from typing import Any, ClassVar, Literal

import numpy as np

from tarnwater.arrays import Floats
from tarnwater.hydrograph import Hydrograph
from tarnwater.methods import Derivation, Doubtful, Missing
from tarnwater.network.elements.element import MEASURED, Answer, AskedOfElement, Element, Shape, Situation
from tarnwater.parameters import Setting, parameter
from tarnwater.routing.reaches import Muskingum, ReachMethod
from tarnwater.routing.splits import Parting


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
    bed_level: Setting[float] = parameter(
        "height", "level of its bed at the head, where a pond above feels its water", label="bed level at the head",
        symbol="zb", source="typed", default=Setting[float](),
    )  # fmt: skip
    loss: float = parameter(
        "flow", "constant flow that it loses to the ground at its foot", label="constant loss", symbol="Ql", least=0,
        most=1e6, usual=(0, 50), source="typed", default=0.0,
    )  # fmt: skip
    loss_share: float = parameter(
        "share", "share of what is left that it loses too", label="loss by share", symbol="sl", least=0, most=1,
        source="typed", default=0.0,
    )  # fmt: skip
    gain: float = parameter(
        "flow", "constant flow that it gains from the ground at its foot", label="constant gain", symbol="Qg", least=0,
        most=1e6, usual=(0, 50), source="typed", default=0.0,
    )  # fmt: skip
    method: ReachMethod = Muskingum()
    path: str | None = None
    raw_slope: float | None = None

    def missing(self) -> list[Missing]:
        """Missing values of its method."""
        return [one.within("method") for one in self.method.missing()]

    def refreshed(self) -> Reach:
        """A copy with its method derived again from length and celerity."""
        return self.model_copy(
            update={"method": self.method.refreshed(self.length.value, self.celerity.value, self.slope.value)}
        )

    def doubts(self, steps: Sequence[float]) -> list[tuple[str, Doubtful]]:
        """Doubts of its method."""
        return [("method", one) for one in self.method.doubts(list(steps))]

    def memory(self, step: float) -> float:
        """Longest delay by its method, about, s."""
        return self.method.memory()

    def respond(self, situation: Situation) -> Answer:
        """The inflow routed by its method; its state is that of the method."""
        out, inflow = situation.out, situation.inflow
        # the outflow may be written over the inflow
        level = self.level_of(inflow.flow) if self.has_level else None
        routed = self.method.route(inflow, situation.state, out)
        hydrograph, lost = self._at_foot(routed.hydrograph)
        if hydrograph.flow is not out:
            out[...] = hydrograph.flow
            hydrograph = replace(hydrograph, flow=out)
        gained = np.full(len(out), self.gain * situation.step * situation.steps) if self.gain else None
        return Answer(
            (hydrograph,), routed.state, start_storage=routed.start_stored, end_storage=routed.stored, losses=lost,
            baseflow=gained, level=level,
        )  # fmt: skip

    @property
    def has_level(self) -> bool:
        """Whether the level of its water at the head is known: by its bed and the section of its method."""
        return self.bed_level.value is not None and self.method.depth_of(np.zeros(1)) is not None

    def level_of(self, flow: Floats) -> Floats:
        """Level of the water at its head under uniform flow (m3/s), m."""
        depth = self.method.depth_of(flow)
        assert depth is not None
        return self.bed_level.known + depth

    def _at_foot(self, routed: Hydrograph) -> tuple[Hydrograph, Floats | None]:
        """The routed flow less what it loses, with what it gains; and the volume lost (case,) m3."""
        lost = None
        if self.loss or self.loss_share:
            routed, gone = self._losing.part(routed)
            lost = gone.total
        return (replace(routed, flow=routed.flow + self.gain), lost) if self.gain else (routed, lost)

    @property
    def _losing(self) -> Parting:
        """What it loses of a flow: all up to the constant loss, and a share of the rest."""
        if self.loss == 0:
            return Parting(np.zeros(1), np.zeros(1), self.loss_share)
        return Parting(np.array([0.0, self.loss]), np.array([0.0, self.loss]), self.loss_share)

    def bases(self, base: Floats, downs: Sequence[str]) -> tuple[Floats, ...]:
        """The flow from the ground, less losses and with gains."""
        kept = base - self._losing.diverted(base) if self.loss or self.loss_share else base
        return (kept + self.gain,)

    def flow(self, asked: AskedOfElement) -> Derivation:
        """The derivation of its outflow by its method."""
        inflow = replace(asked.inflow, title=f"inflow of {self.name}", symbol="I")
        routed = self.method.routed(inflow, asked.method("method"))
        if not (self.loss or self.loss_share or self.gain):
            return routed
        own = tuple(asked.method("").own(name) for name in ("loss", "loss_share", "gain"))

        def at_foot(*values: Any) -> Hydrograph:
            names = {"loss": values[-3], "loss_share": values[-2], "gain": values[-1]}
            return self.model_copy(update=names)._at_foot(routed.evaluate(*values[:-3]))[0]

        equation = f"{routed.equation}; at the foot (1 − sl) max(Q − Ql, 0) + Qg"
        return Derivation(equation, routed.source, (*routed.inputs, *own), at_foot)
