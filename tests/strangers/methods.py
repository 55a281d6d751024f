"""Throw-away methods, one of each kind: each with a parameter that it cannot be without and names that others use."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any, ClassVar, Literal

import numpy as np

from tarnwater.hydrograph import Hydrograph
from tarnwater.methods import Asked, Cure, Derivation, Doubtful, Method
from tarnwater.parameters import Setting, parameter
from tarnwater.rain.depths import DepthCurve
from tarnwater.rain.patterns import Pattern
from tarnwater.reckoning import Reckoning
from tarnwater.routing.reaches import Routed, Routing
from tarnwater.runoff.baseflow import Baseflow, FromGround, OverGround
from tarnwater.runoff.losses import Excess, Loss
from tarnwater.runoff.timing import DerivedTime, Measures, Timing
from tarnwater.runoff.transforms import DirectRunoff, ExcessOnArea, Transform

SOURCE = "made up for a test"


class Sponge(Loss):
    """The ground keeps a share of the rain until it is full."""

    method: Literal["sponge"] = "sponge"
    share: float = parameter(
        "share", "share of the rain that is kept", symbol="k", least=0, most=1, usual=(0.1, 0.9), source=SOURCE
    )
    room: Setting[float] = parameter(
        "rain", "room in the ground", symbol="R", least=0, source=SOURCE, default=Setting[float]()
    )

    columns: ClassVar[Mapping[str, str]] = {"share": "kept"}
    title: ClassVar[str] = "sponge"
    equation: ClassVar[str] = "Pe = P − k P until R is full"
    source: ClassVar[str] = SOURCE
    verified: ClassVar[str] = "its tests"

    def refreshed(self, ground: Mapping[str, float | None]) -> Sponge:
        return self.model_copy(update={"room": self.room.with_derived(200.0 * self.share)})

    def derivation(self, name: str, asked: Asked) -> Derivation | None:
        return Derivation("R = 200 k mm", SOURCE, (asked.own("share"),), lambda k: 200.0 * k)

    def respond(self, rain: np.ndarray, step: float, state: Any = None, **values: np.ndarray) -> Excess:
        held = np.zeros(len(rain)) if state is None else state
        share = np.broadcast_to(np.asarray(values.get("share", self.share), float), (len(rain),))
        wanted = held[:, None] + np.cumsum(share[:, None] * rain, axis=1)
        full = np.minimum(wanted, self.room.known)
        kept = np.diff(full, axis=1, prepend=held[:, None])
        end = full[:, -1] if rain.shape[1] else held
        return Excess(rain - kept, end - held, np.zeros(len(rain)), end)

    def doubts(self) -> list[Doubtful]:
        if self.share != 1:
            return []
        return [
            Doubtful("sponge-full", "doubt", "nothing runs off.", (Cure("Keep half.", Sponge(share=0.5)),), "share")
        ]


class Walk(Timing):
    """Lag by walking along the flow path."""

    method: Literal["walk"] = "walk"
    speed: float = parameter("speed", "speed of the walk", symbol="v", above=0, most=100, usual=(0.1, 3), source=SOURCE)
    leads: ClassVar[Literal["lag", "concentration", ""]] = "lag"

    title: ClassVar[str] = "walk"
    equation: ClassVar[str] = "tL = L / v"
    source: ClassVar[str] = SOURCE
    verified: ClassVar[str] = "its tests"

    def derive(self, measures: Measures) -> DerivedTime | None:
        return None if measures.flow_length is None else DerivedTime(measures.flow_length / self.speed, "lag")

    def time(self, asked: Asked) -> Derivation:
        inputs = asked.around("flow_length", "m"), asked.own("speed", "m/s")
        return Derivation("tL = L / v", SOURCE, inputs, lambda length, speed: length / speed)


class Bucket(Transform):
    """All excess stands in a bucket that leaks: no unit hydrograph."""

    method: Literal["bucket"] = "bucket"
    share: float = parameter("share", "share that leaks in a step", symbol="a", above=0, most=1, source=SOURCE)

    title: ClassVar[str] = "leaking bucket"
    equation: ClassVar[str] = "Q = a S / Δt"
    source: ClassVar[str] = SOURCE
    verified: ClassVar[str] = "its tests"

    def respond(self, given: ExcessOnArea, lag: float) -> DirectRunoff:
        excess, area, step, steps = given.excess, given.area, given.step, given.steps
        cases = len(excess)
        flow = np.empty((cases, steps + 1)) if given.out is None else given.out
        held, leaving = (np.zeros(cases), np.zeros(cases)) if given.state is None else given.state
        flow[:, 0] = leaving
        uneven = np.empty((cases, steps))
        for n in range(steps):
            held = held + (0.001 * area * excess[:, n] if n < excess.shape[1] else 0.0)
            gone = self.share * held
            held = held - gone
            flow[:, n + 1] = gone / step
            uneven[:, n] = gone - 0.5 * step * (flow[:, n] + flow[:, n + 1])
        return DirectRunoff(Hydrograph(flow, step, uneven), (held, flow[:, -1].copy()))

    def stored(self, state: Any) -> np.ndarray:
        return state[0]

    def memory(self, area: float, lag: float, step: float) -> float:
        return step * float(np.log(1e-6) / np.log1p(-min(self.share, 0.999)))

    def runoff(self, excess: Reckoning, steps: int, asked: Asked) -> Derivation:
        inputs = excess, asked.around("area", "km²"), asked.own("share"), asked.around("step")

        def run(depths: np.ndarray, area: float, share: float, step: float) -> Hydrograph:
            return Bucket(share=share).respond(ExcessOnArea(depths[None, :], area, step, steps), 0.0).hydrograph

        return Derivation("Q_n = a S / Δt", SOURCE, inputs, run)


class Spring(Baseflow):
    """A spring that runs dry by a share in each day."""

    method: Literal["spring"] = "spring"
    flow: float = parameter("flow", "flow at the start", symbol="Q0", least=0, most=1e6, source=SOURCE)

    title: ClassVar[str] = "spring"
    equation: ClassVar[str] = "Qb = Q0 exp(−t / 1 d)"
    source: ClassVar[str] = SOURCE
    verified: ClassVar[str] = "its tests"

    def respond(self, given: OverGround) -> FromGround:
        begun = 0.0 if given.state is None else float(given.state[0])
        times = begun + np.arange(given.steps + 1) * given.step
        flow = np.tile(self.flow * np.exp(-times / 86400.0), (given.cases, 1))
        return given.series(flow, np.full(given.cases, times[-1]))


class Shift(Routing):
    """The flow arrives as it is, but later."""

    method: Literal["shift"] = "shift"
    travel_time: Setting[float] = parameter(
        "time", "delay", symbol="d", least=0, source=SOURCE, default=Setting[float]()
    )

    title: ClassVar[str] = "shift"
    equation: ClassVar[str] = "Q(t) = I(t − d)"
    source: ClassVar[str] = SOURCE
    verified: ClassVar[str] = "its tests"
    needs: ClassVar[Mapping[str, str]] = {"travel_time": "Type it."}

    def route(self, inflow: Hydrograph, state: Any = None, out: np.ndarray | None = None) -> Routed:
        # the state: the outflow now and what is still to come, and of that the volumes beyond the trapezoids
        late, steps = round(self.travel_time.known / inflow.step), inflow.flow.shape[1] - 1
        uneven = np.zeros((len(inflow.flow), steps)) if inflow.uneven is None else inflow.uneven
        to_come, beyond = state or (np.tile(inflow.flow[:, :1], (1, late + 1)), np.zeros((len(uneven), late)))
        flows = np.concatenate([to_come, inflow.flow[:, 1:]], axis=1)
        volumes = np.concatenate([beyond, uneven], axis=1)
        answer = np.empty_like(inflow.flow) if out is None else out
        answer[...] = flows[:, : steps + 1]
        end = flows[:, steps:], volumes[:, steps:]
        leaving = Hydrograph(answer, inflow.step, volumes[:, :steps].copy())
        return Routed(leaving, _held(to_come, beyond, inflow.step), _held(*end, inflow.step), end)

    def memory(self) -> float:
        return self.travel_time.known

    def routed(self, inflow: Reckoning, asked: Asked) -> Derivation:
        inputs = inflow, asked.own("travel_time", "h")
        return Derivation(
            "Q(t) = I(t − d)", SOURCE, inputs, lambda into, d: Shift(travel_time=d).route(into).hydrograph
        )


def _held(flow: np.ndarray, beyond: np.ndarray, step: float) -> np.ndarray:
    """Volume of flows still to come, m3, (case,)."""
    return step * (flow.sum(axis=1) - 0.5 * (flow[:, 0] + flow[:, -1])) + beyond.sum(axis=1)


class Burst(Pattern):
    """All the rain falls evenly in the first part of the storm."""

    method: Literal["burst"] = "burst"
    share: float = parameter("share", "share of the time in which it rains", symbol="r", above=0, most=1, source=SOURCE)
    nested: ClassVar[bool] = False

    title: ClassVar[str] = "burst"
    equation: ClassVar[str] = "ΔP = P / (r D) Δt"
    source: ClassVar[str] = SOURCE
    verified: ClassVar[str] = "its tests"

    @classmethod
    def variants(cls) -> tuple[tuple[str, str, Burst], ...]:
        return (("burst", "burst in the first half", cls(share=0.5)),)

    def increments(self, curve: DepthCurve, duration: float, step: float) -> np.ndarray:
        count = int(np.ceil(duration / step - 1e-9))
        ends = np.minimum(np.arange(count + 1) * step / (self.share * duration), 1.0)
        return float(curve.depth(duration)) * np.diff(ends)


ALL = (Sponge, Walk, Bucket, Spring, Shift, Burst)


def kind_among(method: type[Method]) -> type[Method]:
    """The kind that keeps a method among its own."""
    return next(base for base in method.__mro__ if "known" in base.__dict__)


for _one in ALL:
    # entered by being written; tests enter them for themselves, and no other test shall meet them
    del kind_among(_one).known[_one.tag()]
