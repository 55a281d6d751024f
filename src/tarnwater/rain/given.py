"""Storms whose rain is given in steps: recorded at some moment, or typed.

A recorded storm has dates and the rain of each catchment; a typed storm is the same everywhere. Each is one model with
its tag and the contract of `GivenStorm`.
"""

from __future__ import annotations

from abc import ABC, abstractmethod
from datetime import datetime
from functools import cached_property
from typing import Annotated, Any, ClassVar, Literal

import numpy as np
from pydantic import AwareDatetime, Field, model_validator

from tarnwater.arrays import Floats
from tarnwater.clock import LATEST, moment, show_moment
from tarnwater.frozen import FrozenDict
from tarnwater.methods import OneOf
from tarnwater.parameters import Model, Name, parameter
from tarnwater.rain.storms import Rain
from tarnwater.units import show_duration

#: Depths in steps, mm, None where the rain is missing.
Depths = tuple[Annotated[float, Field(ge=0, le=2000, strict=True)] | None, ...]

#: Steps that a storm may have.
MOST_STEPS = 1_000_000


class GivenStorm(Model, ABC):
    """A storm whose rain is given. A subclass has a field ``kind`` with its tag.

    ``after`` is the key of another given storm: the run begins from the end state of that storm's run or, if both have
    dates, from its state at the moment when this storm begins. Empty means at rest.
    """

    name: Name
    step: float = parameter("time", "step of the rain", symbol="Δt", least=1, most=86400)
    source: str = ""
    after: str = ""

    #: Whether it rains the same on every catchment.
    even: ClassVar[bool] = False

    #: Storms by tag.
    known: ClassVar[dict[str, type[GivenStorm]]] = {}

    @classmethod
    def __pydantic_init_subclass__(cls, **kwargs: Any) -> None:
        """Register a kind of storm."""
        super().__pydantic_init_subclass__(**kwargs)
        if "kind" in cls.model_fields:
            GivenStorm.known[cls.tag()] = cls

    @classmethod
    def tag(cls) -> str:
        """The tag by which a file names it."""
        return str(cls.model_fields["kind"].default)

    @property
    def begins(self) -> datetime | None:
        """Date at which its rain begins, with the zone; None if it has no date."""
        return None

    @property
    @abstractmethod
    def steps(self) -> int:
        """Number of its steps of rain."""

    @property
    def duration(self) -> float:
        """Duration of its rain, with dry steps, s."""
        return self.steps * self.step

    @abstractmethod
    def depths_on(self, catchment: str) -> Depths | None:
        """Depths in its own steps on a catchment (by key), mm; None if it has no rain there."""

    def lacks(self, catchment: str) -> str:
        """Reason why the rain of a catchment is incomplete; empty if it is complete.

        Missing rain is never taken as zero.
        """
        if catchment not in self.lacking:
            self.lacking[catchment] = self._lack_on(catchment)
        return self.lacking[catchment]

    @cached_property
    def lacking(self) -> dict[str, str]:
        """Cached reasons by catchment, because every edit of the land asks again."""
        return {}

    def _lack_on(self, catchment: str) -> str:
        depths = self.depths_on(catchment)
        if depths is None:
            return "it has no rain there."
        missing = [number for number, depth in enumerate(depths) if depth is None]
        if not missing:
            return ""
        first = missing[0] * self.step
        at = show_duration(first) if self.begins is None else show_moment(moment(self.begins, first))
        return f"its rain is missing in {len(missing)} of {len(depths)} steps, first at {at}."

    def dry_spell(self, catchment: str) -> float:
        """The longest dry time between rain on a catchment, s; missing rain is not dry."""
        if catchment not in self.dry_spells:
            depths = self.depths_on(catchment) or ()
            wet = np.flatnonzero([depth is None or depth > 0 for depth in depths])
            self.dry_spells[catchment] = float((np.diff(wet) - 1).max(initial=0)) * self.step
        return self.dry_spells[catchment]

    @cached_property
    def dry_spells(self) -> dict[str, float]:
        """Cached dry spells by catchment."""
        return {}

    def rain_on(self, catchment: str, step: float) -> Floats:
        """Rain on a catchment in steps of the run (s), mm, (step,); its rain must be complete."""
        given = np.array([self.depths_on(catchment)], float)
        found: Floats = Rain(given, self.step).spread_over(step).depths[0]
        return found


class Cut(Model):
    """The stretch of the study's records that a storm was cut from (s since 1970), and the shares that made its rain.

    ``way`` says in words how the rain of the catchments follows from the records.
    """

    begin: int
    end: int
    way: str = ""


class RecordedStorm(GivenStorm):
    """A storm from records: the rain of each catchment, from a date with its zone.

    One that was cut from the records of the study follows them.
    """

    kind: Literal["recorded"] = "recorded"
    origin: AwareDatetime
    rain: FrozenDict[Depths]
    cut: Cut | None = None

    @model_validator(mode="after")
    def _whole(self) -> RecordedStorm:
        lengths = {len(depths) for depths in self.rain.values()}
        if not lengths or lengths == {0}:
            raise ValueError("a recorded storm needs the rain of at least one catchment")
        if len(lengths) > 1:
            raise ValueError(f"every catchment needs as many steps of rain; these have {sorted(lengths)} steps")
        _not_too_long(max(lengths))
        if self.origin > LATEST:
            raise ValueError("the storm begins too late to have a date")
        return self

    @property
    def begins(self) -> datetime:
        """When its rain begins, with the zone."""
        return self.origin

    @property
    def steps(self) -> int:
        """Number of its steps of rain."""
        return len(next(iter(self.rain.values())))

    def depths_on(self, catchment: str) -> Depths | None:
        """Depths in its own steps on a catchment, mm; None if it has no rain there."""
        return self.rain.get(catchment)


class TypedStorm(GivenStorm):
    """A storm typed or pasted in steps, the same on every catchment, without a date."""

    kind: Literal["typed"] = "typed"
    depths: Depths

    even: ClassVar[bool] = True

    @model_validator(mode="after")
    def _whole(self) -> TypedStorm:
        if not self.depths:
            raise ValueError("a typed storm needs depths")
        _not_too_long(len(self.depths))
        return self

    @property
    def steps(self) -> int:
        """Number of its steps of rain."""
        return len(self.depths)

    def depths_on(self, catchment: str) -> Depths:
        """Depths in its own steps, mm, whatever the catchment."""
        return self.depths


def _not_too_long(steps: int) -> None:
    if steps > MOST_STEPS:
        raise ValueError(f"a storm of {steps} steps is too long; it may have {MOST_STEPS}")


#: A field that holds a given storm of any kind.
AnyStorm = Annotated[GivenStorm, OneOf(GivenStorm, called="storm", tag="kind")]
