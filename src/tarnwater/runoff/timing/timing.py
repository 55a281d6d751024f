"""The contract of a timing method."""

from __future__ import annotations

from abc import abstractmethod
from typing import ClassVar, Literal

from tarnwater.methods import Asked, Derivation, Method
from tarnwater.runoff.timing.measures import DerivedTime, Measures


class Timing(Method):
    """Timing of a catchment.

    It derives one of two times, named by ``leads``; the other follows by lag = 0.6 Tc. Its surroundings
    are the fields of `Measures`.
    """

    kind: ClassVar[str] = "timing method"

    #: The time that it derives; empty if it derives none.
    leads: ClassVar[Literal["lag", "concentration", ""]]

    #: Whether `derive` takes a curve number by case (case,) and then returns a time by case.
    by_case: ClassVar[bool] = False

    @abstractmethod
    def derive(self, measures: Measures) -> DerivedTime | None:
        """The time in s, or None if an input is unknown."""

    def time(self, asked: Asked) -> Derivation:
        """The derivation of the time; only asked if there is one."""
        raise NotImplementedError(f"{type(self).__name__} derives no time")
