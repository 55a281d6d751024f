"""Rules by which flow parts in two."""

from __future__ import annotations

from abc import abstractmethod
from collections.abc import Mapping
from dataclasses import dataclass
from typing import Annotated, ClassVar, Literal, Self

import numpy as np
from pydantic import model_validator

from tarnwater.arrays import Floats
from tarnwater.errors import EditRefused
from tarnwater.hydrograph import Hydrograph
from tarnwater.methods import Method, OneOf
from tarnwater.parameters import parameter, refuse_uneven


@dataclass(frozen=True, eq=False)
class Parting:
    """A flow in two: what goes the second way is linear in the flow between bends, with a slope beyond the last.

    ``flows`` from 0 up and ``second`` (bend,) m3/s.
    """

    flows: Floats
    second: Floats
    beyond: float

    def diverted(self, flow: Floats) -> Floats:
        """What goes the second way of flows, m3/s; of a flow below zero, nothing."""
        over = np.maximum(flow - self.flows[-1], 0.0)
        found: Floats = np.interp(flow, self.flows, self.second) + self.beyond * over
        return found

    def _integral(self, flow: Floats) -> Floats:
        """∫ of what is diverted over the flow, from zero."""
        flows, second = self.flows, self.second
        whole = np.concatenate([[0.0], np.cumsum(np.diff(flows) * (second[1:] + second[:-1]) / 2)])
        at = np.clip(flow, 0.0, flows[-1])
        cell = np.clip(np.searchsorted(flows, at, side="right") - 1, 0, max(len(flows) - 2, 0))
        here = np.interp(at, flows, second)
        over = np.maximum(flow - flows[-1], 0.0)
        below = whole[cell] + (at - flows[cell]) * (second[cell] + here) / 2
        found: Floats = below + over * (second[-1] + self.beyond * over / 2)
        return found

    def part(self, inflow: Hydrograph) -> tuple[Hydrograph, Hydrograph]:
        """The two ways of an inflow, linear within each step; their volumes are exact and add up to that of the inflow.

        A volume beyond the trapezoid parts like the rest of its step.
        """
        flow, step = inflow.flow, inflow.step
        second = self.diverted(flow)
        low, high = flow[:, :-1], flow[:, 1:]
        rise = high - low
        level = np.abs(rise) <= 1e-9 * np.maximum(np.abs(low), np.abs(high))
        with np.errstate(divide="ignore", invalid="ignore"):
            mean = np.where(
                level, 0.5 * (second[:, :-1] + second[:, 1:]), (self._integral(high) - self._integral(low)) / rise
            )
        volume = step * mean
        if inflow.uneven is not None:
            through = step * 0.5 * (low + high)
            with np.errstate(divide="ignore", invalid="ignore"):
                share = np.where(through > 0, np.clip(volume / through, 0.0, 1.0), 0.0)
            volume = volume + share * inflow.uneven
        uneven = volume - step * 0.5 * (second[:, :-1] + second[:, 1:])
        rest = -uneven if inflow.uneven is None else inflow.uneven - uneven
        return Hydrograph(flow - second, step, rest), Hydrograph(second, step, uneven)


class SplitRule(Method):
    """What of a flow goes the second way; the rest goes the first."""

    kind: ClassVar[str] = "split rule"

    @property
    @abstractmethod
    def parting(self) -> Parting:
        """The rule as a line with bends."""

    def diverted(self, flow: Floats) -> Floats:
        """What goes the second way of flows, m3/s."""
        return self.parting.diverted(flow)

    def part(self, inflow: Hydrograph) -> tuple[Hydrograph, Hydrograph]:
        """The two ways of an inflow, with exact volumes."""
        return self.parting.part(inflow)


class ShareRule(SplitRule):
    """The same share of every flow."""

    method: Literal["share"] = "share"
    share: float = parameter(
        "share", "share of the flow that goes the second way", label="share diverted", symbol="s", least=0, most=1,
        source="definition", default=0.5,
    )  # fmt: skip

    columns: ClassVar[Mapping[str, str]] = {"share": "share"}
    title: ClassVar[str] = "by a share"
    equation: ClassVar[str] = "Q2 = s Q"
    source: ClassVar[str] = "definition"
    verified: ClassVar[str] = "its own share at every step; balance"

    @property
    def parting(self) -> Parting:
        """A line without a bend."""
        return Parting(np.zeros(1), np.zeros(1), self.share)


class ThresholdRule(SplitRule):
    """All above a threshold, up to a greatest flow."""

    method: Literal["threshold"] = "threshold"
    threshold: float = parameter(
        "flow", "flow above which the rest goes the second way", label="threshold", symbol="Q0", least=0, most=1e7,
        source="typed", default=1.0,
    )  # fmt: skip
    most: float = parameter(
        "flow", "greatest flow of the second way", label="greatest flow", symbol="Qm", least=0, most=1e9,
        source="typed", default=1e6,
    )  # fmt: skip

    columns: ClassVar[Mapping[str, str]] = {"threshold": "threshold"}
    title: ClassVar[str] = "above a threshold"
    equation: ClassVar[str] = "Q2 = min(max(Q − Q0, 0), Qm)"
    source: ClassVar[str] = "definition"
    verified: ClassVar[str] = "the exact volume of a triangle cut by it; balance"

    @property
    def parting(self) -> Parting:
        """It bends at the threshold, and where the greatest flow is reached."""
        return Parting(
            np.array([0.0, self.threshold, self.threshold + self.most]), np.array([0.0, 0.0, self.most]), 0.0
        )


class InletRule(SplitRule):
    """An inlet takes a share of what comes up to its capacity; the rest passes it by, the second way."""

    method: Literal["inlet"] = "inlet"
    capacity: float = parameter(
        "flow",
        "most that the inlet takes",
        label="capacity",
        symbol="Qc",
        least=0,
        most=1e6,
        source="typed",
        default=0.1,
    )
    efficiency: float = parameter(
        "share", "share of a smaller flow that it takes", label="efficiency", symbol="E", above=0, most=1,
        usual=(0.5, 1.0), source="typed", default=1.0,
    )  # fmt: skip

    columns: ClassVar[Mapping[str, str]] = {"capacity": "capacity"}
    title: ClassVar[str] = "inlet with bypass"
    equation: ClassVar[str] = "Q1 = min(E Q, Qc), Q2 = Q − Q1"
    source: ClassVar[str] = "definition"
    verified: ClassVar[str] = "its capacity and its efficiency; balance"

    @property
    def parting(self) -> Parting:
        """It bends where the capacity is reached."""
        full = self.capacity / self.efficiency
        if full == 0:
            return Parting(np.zeros(1), np.zeros(1), 1.0)
        return Parting(np.array([0.0, full]), np.array([0.0, full - self.capacity]), 1.0)


class RatedRule(SplitRule):
    """A table of flows and what goes the second way, linear between them; beyond the last the share stays."""

    method: Literal["rating"] = "rating"
    flows: tuple[float, ...] = parameter("flow", "flows that come", label="flows", symbol="Q", least=0, most=1e7)
    second: tuple[float, ...] = parameter(
        "flow", "flows that go the second way", label="flows diverted", symbol="Q2", least=0, most=1e7
    )

    title: ClassVar[str] = "by a rating"
    equation: ClassVar[str] = "Q2 linear between the entries"
    source: ClassVar[str] = "typed or measured"
    verified: ClassVar[str] = "its entries; balance"

    @model_validator(mode="after")
    def _fits(self) -> Self:
        refuse_uneven("a split rating", ("flows", "flows diverted"), self.flows, self.second)
        if any(second > flow for flow, second in zip(self.flows, self.second, strict=True)):
            raise EditRefused("more would go the second way than comes.", remedy="Correct the table.")
        return self

    @property
    def parting(self) -> Parting:
        """It bends at its entries; beyond the last the share stays."""
        flows, second = np.array(self.flows), np.array(self.second)
        if flows[0] > 0:
            flows, second = np.append(0.0, flows), np.append(0.0, second)
        return Parting(flows, second, float(second[-1] / flows[-1]))


AnySplitRule = Annotated[SplitRule, OneOf(SplitRule)]
