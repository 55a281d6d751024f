"""The parts of a study that are not elements: conditions, design points and limits, the run, what was accepted."""

from __future__ import annotations

from typing import Any, Literal

from pydantic import model_validator

from tarnwater.cover.land import CatchmentLand
from tarnwater.errors import EditRefused
from tarnwater.frozen import FrozenDict
from tarnwater.network.elements import AnyElement, Link
from tarnwater.parameters import Model, Name, Setting, Typed, parameter

#: Steps a study may run at, s.
STEPS = (60.0, 120.0, 300.0, 600.0, 900.0, 1800.0, 3600.0)


def refuse_other_step(step: float | None) -> None:
    """Raise `EditRefused` for a step (s) that is not one of `STEPS`."""
    if step is not None and step not in STEPS:
        minutes = ", ".join(f"{s / 60:g}" for s in STEPS)
        raise EditRefused(f"the step cannot be {step:g} s.", remedy=f"Choose one of {minutes} min.")


class Limit(Model):
    """A limit at a design point: a flow for a return period, typed or a share of another condition's peak."""

    return_period: float = parameter("return period", "return period", above=1)
    flow: float | None = parameter("flow", "allowed peak flow", symbol="Qa", least=0, default=None)
    share: float = parameter("share", "share of the other condition's peak", least=0, most=10, default=1.0)
    of_condition: str | None = None

    @model_validator(mode="after")
    def _one_source(self) -> Limit:
        if (self.flow is None) == (self.of_condition is None):
            raise EditRefused(
                f"the limit at 1 in {self.return_period:g} needs a flow or another condition, one of the two.",
                remedy="Type the allowed flow, or name the condition whose share it is.",
            )
        return self


class DesignPoint(Model):
    """An element where answers are given, with its limits; it may have a step for its own storms."""

    limits: tuple[Limit, ...] = ()
    step: float | None = parameter("time", "step for this point's storms", symbol="Δt", above=0, default=None)

    @model_validator(mode="after")
    def _known_step(self) -> DesignPoint:
        refuse_other_step(self.step)
        return self


class Condition(Model):
    """A state of land and works: what differs from its parent, or from the study itself.

    ``settings`` maps ``element/field/…`` to the value typed for this condition; ``links`` replaces
    or adds links by key, None removes one. ``land`` is that of catchments whose cover or soil differs.
    """

    name: Name
    note: str = ""
    parent: str | None = None
    settings: FrozenDict[Typed[Any]] = FrozenDict()
    added: FrozenDict[AnyElement] = FrozenDict()
    left_out: tuple[str, ...] = ()
    links: FrozenDict[Link | None] = FrozenDict()
    land: FrozenDict[CatchmentLand] = FrozenDict()


class Series(Model):
    """A series of values in time, stored under its digest."""

    name: str
    kind: Literal["flow", "rain", "level"]
    digest: str
    source: str = ""


class RunSettings(Model):
    """Settings of the run."""

    step: Setting[float] = parameter(
        "time",
        "step of the run",
        symbol="Δt",
        above=0,
        usual=(60, 3600),
        source="proposed from the shortest lag",
        default=Setting[float](),
    )
    length: Setting[float] = parameter(
        "time",
        "length of the run",
        above=0,
        most=366 * 86400,
        usual=(3600, 60 * 86400),
        source="until the flow has receded",
        default=Setting[float](),
    )
    recession_share: float = parameter(
        "share", "share of the peak to which direct flow must have receded", above=0, below=1, default=0.01
    )

    @model_validator(mode="after")
    def _known_step(self) -> RunSettings:
        refuse_other_step(self.step.value)
        return self


class Acceptance(Model):
    """The acceptance of a doubt: code, place, its text at that time, the reason, who and when.

    ``cause`` is a digest of the cause of the doubt; when it changes, the acceptance lapses.
    """

    code: str
    element: str = ""
    field: str = ""
    condition: str = ""
    subject: str = ""
    figure: str
    reason: str
    by: str = ""
    at: str = ""
    cause: str
