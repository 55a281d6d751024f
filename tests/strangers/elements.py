"""Throw-away elements: one that parts its flow, one that feels the next, and three that cheat."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import datetime
from typing import ClassVar, Literal

import numpy as np

from tarnwater.hydrograph import Hydrograph
from tarnwater.methods import Derivation
from tarnwater.network.elements import Answer, AskedOfElement, Element, Situation
from tarnwater.parameters import parameter

SOURCE = "made up for a test"


class Fork(Element):
    """The first link down takes a share of the flow, the others the rest in equal parts."""

    kind: Literal["fork"] = "fork"
    share: float = parameter("share", "share that goes by the first link", symbol="a", least=0, most=1, source=SOURCE)

    several_down: ClassVar[bool] = True

    def shares(self, count: int) -> list[float]:
        if count < 2:
            return [1.0]
        return [self.share, *[(1 - self.share) / (count - 1)] * (count - 1)]

    def respond(self, situation: Situation) -> Answer:
        joined = situation.joined
        return Answer(tuple(times(joined, share) for share in self.shares(len(situation.downs))))

    def bases(self, base: np.ndarray, downs: Sequence[str]) -> tuple[np.ndarray, ...]:
        return tuple(share * base for share in self.shares(len(downs)))

    def way(self, number: int, asked: AskedOfElement) -> Derivation:
        def part(inflow: Hydrograph, share: float) -> Hydrograph:
            return times(inflow, share if number == 0 else 1 - share)

        own = asked.method("").own("share")
        return Derivation("Q = a I" if number == 0 else "Q = (1 − a) I", SOURCE, (asked.inflow, own), part)


class Basin(Element):
    """Water that stands on an area, and leaves by the height above the basin below, which may drown it."""

    kind: Literal["basin"] = "basin"
    area: float = parameter("area", "area of the water", symbol="A", above=0, source=SOURCE)
    below: str = ""

    #: m3/s for a metre of height.
    conveyance: ClassVar[float] = 2.0

    def feels(self) -> tuple[str, ...]:
        return (self.below,) if self.below else ()

    def respond(self, situation: Situation) -> Answer:
        inflow, step = situation.joined, situation.step
        volume, flow = inflow.volume, np.empty_like(situation.out)
        stored = np.zeros(situation.cases) if situation.state is None else situation.state
        start, level = stored, np.empty_like(flow)
        beyond = np.empty((situation.cases, situation.steps))
        felt = situation.levels.get(self.below, np.zeros_like(flow))
        for at in range(situation.steps + 1):
            level[:, at] = stored / self.area
            height = np.maximum(level[:, at] - felt[:, at], 0.0)
            if at == situation.steps:
                flow[:, at] = self.conveyance * height
                break
            left = np.minimum(self.conveyance * height * step, stored)
            flow[:, at] = self.conveyance * height
            beyond[:, at] = left
            stored = stored + volume[:, at] - left
        beyond -= 0.5 * step * (flow[:, 1:] + flow[:, :-1])
        situation.out[...] = flow
        return Answer(
            (Hydrograph(situation.out, step, beyond),),
            stored,
            start_storage=start,
            end_storage=stored,
            level=level,
            storage=level * self.area,
        )

    def memory(self, step: float) -> float:
        return 10 * self.area / self.conveyance

    def flow(self, asked: AskedOfElement) -> Derivation:
        levels = tuple(asked.level(key) for key in self.feels())
        own = asked.method("").own("area")

        def drained(inflow: Hydrograph, area: float, *felt: np.ndarray) -> Hydrograph:
            anew = self.model_copy(update={"area": area})
            out = np.empty((1, asked.steps + 1))
            known = {key: np.asarray(one)[None, :] for key, one in zip(self.feels(), felt, strict=True)}
            return anew.respond(
                Situation(asked.step, asked.steps, 1, None, [inflow], (), None, out, levels=known)
            ).ways[0]

        return Derivation("A dh/dt = I − c (h − h2)", SOURCE, (asked.inflow, own, *levels), drained)


class Doubler(Element):
    """Hands all its water on by each of its links."""

    kind: Literal["doubler"] = "doubler"
    several_down: ClassVar[bool] = True

    def respond(self, situation: Situation) -> Answer:
        return Answer((situation.joined,) * max(len(situation.downs), 1))

    def bases(self, base: np.ndarray, downs: Sequence[str]) -> tuple[np.ndarray, ...]:
        return (base,) * max(len(downs), 1)


class Leak(Element):
    """Loses a litre in a thousand, and says nothing."""

    kind: Literal["leak"] = "leak"

    def respond(self, situation: Situation) -> Answer:
        return Answer((times(situation.joined, 0.999),))


class Spout(Element):
    """Books water from outside, as only an inflow may."""

    kind: Literal["spout"] = "spout"

    def respond(self, situation: Situation) -> Answer:
        whole = times(situation.joined, 1.1)
        return Answer((whole,), outside=whole.total / 11)


class Tap(Element):
    """Lets water in at a rate for some time, as an inflow may."""

    kind: Literal["tap"] = "tap"
    rate: float = parameter("flow", "rate", symbol="Q", above=0, most=1e4, source=SOURCE)
    lasting: float = parameter("time", "time for which it is open", symbol="t", above=0, most=864000, source=SOURCE)

    lets_in: ClassVar[bool] = True

    def let_in(self, until: float, begins: datetime | None = None) -> float:
        return self.rate * min(until, self.lasting)

    def memory(self, step: float) -> float:
        return self.lasting

    def respond(self, situation: Situation) -> Answer:
        step, out = situation.step, situation.out
        begun = 0.0 if situation.state is None else float(situation.state[0])
        ends = begun + np.arange(float(out.shape[1])) * step
        out[...] = joined = situation.joined.flow + np.where(ends < self.lasting, self.rate, 0.0)
        volume = np.diff(np.minimum(ends, self.lasting)) * self.rate
        own = np.where(ends < self.lasting, self.rate, 0.0)
        uneven = np.tile(volume - 0.5 * step * (own[1:] + own[:-1]), (situation.cases, 1))
        hydrograph = Hydrograph(joined, step, uneven)
        outside = np.full(situation.cases, volume.sum())
        return Answer((hydrograph,), np.full(situation.cases, ends[-1]), outside=outside)

    def flow(self, asked: AskedOfElement) -> Derivation:
        own = asked.method("")

        def let(rate: float, lasting: float) -> Hydrograph:
            anew = Tap(name=self.name, rate=rate, lasting=lasting)
            out = np.empty((1, asked.steps + 1))
            return anew.respond(Situation(asked.step, asked.steps, 1, None, (), (), None, out)).ways[0]

        return Derivation("Q until t", SOURCE, (own.own("rate"), own.own("lasting")), let)


def times(hydrograph: Hydrograph, factor: float) -> Hydrograph:
    uneven = None if hydrograph.uneven is None else factor * hydrograph.uneven
    return Hydrograph(factor * hydrograph.flow, hydrograph.step, uneven)


ALL = (Fork, Basin, Doubler, Leak, Spout, Tap)
for one in ALL:
    # they are there in the tests of this package only
    del Element.known[one.tag()]
