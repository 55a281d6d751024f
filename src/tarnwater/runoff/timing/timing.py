"""The contract of a timing method."""

from __future__ import annotations

from abc import abstractmethod
from collections.abc import Sequence
from dataclasses import dataclass
from typing import ClassVar, Literal, Self

from tarnwater.arrays import Floats
from tarnwater.methods import Asked, Cure, Derivation, Doubtful, Method
from tarnwater.runoff.timing.measures import DerivedTime, Measures


@dataclass(frozen=True)
class Range:
    """The range of a measure for which an equation was found, in its base unit, and where that is said."""

    measure: str
    least: float = 0.0
    most: float = float("inf")
    source: str = ""


#: Kinds of quantities of the measures, and their words.
MEASURED = {
    "area": ("area", "area"),
    "centroid_length": ("length", "centroid length"),
    "flow_length": ("length", "flow path length"),
    "path_slope": ("slope", "flow path slope"),
    "mean_slope": ("slope", "mean slope"),
    "curve_number": ("curve number", "curve number"),
}


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

    #: Whether its time follows from the rain of a storm; outside of one it is that of a nominal rain.
    by_storm: ClassVar[bool] = False

    #: Whether it takes the hydraulic radius and the roughness of the channel.
    by_section: ClassVar[bool] = False

    #: Measures that it takes.
    takes: ClassVar[tuple[str, ...]] = ()

    #: Ranges of the measures for which it was found.
    ranges: ClassVar[tuple[Range, ...]] = ()

    @property
    def leading(self) -> str:
        """The time that it derives as it is set up: ``lag`` or ``concentration``."""
        return self.leads

    def needed(self, measures: Measures) -> Sequence[str]:
        """Names of its settings that it needs for some measures."""
        return tuple(self.needs)

    def refreshed(self, measures: Measures) -> Self:
        """A copy with its values derived again from the measures of the ground."""
        return self

    def in_storm(self, depths: Floats, step: float, measures: Measures) -> Self:
        """A copy for the rain (step,) mm of one storm in steps (s); itself by default."""
        return self

    @abstractmethod
    def derive(self, measures: Measures) -> DerivedTime | None:
        """The time in s, or None if an input is unknown."""

    def time(self, asked: Asked) -> Derivation:
        """The derivation of the time; only asked if there is one."""
        raise NotImplementedError(f"{type(self).__name__} derives no time")

    def doubts(self, measures: Measures) -> list[Doubtful]:
        """Measures outside the ranges for which it was found."""
        told: list[str] = []
        figures: list[tuple[float, str]] = []
        for one in self.ranges:
            value = getattr(measures, one.measure)
            if not isinstance(value, int | float) or one.least <= value <= one.most:
                continue
            kind, name = MEASURED[one.measure]
            bound, side = (one.least, "below") if value < one.least else (one.most, "above")
            at = len(figures)
            told.append(f"the {name} of {{{at}}} is {side} {{{at + 1}}} ({one.source})")
            figures += [(float(value), kind), (bound, kind)]
        if not told:
            return []
        cure = Cure("Compare it with other equations, or type the time.")
        words = f"{self.title}: {'; '.join(told)}."
        return [Doubtful("timing-outside-range", "doubt", words, (cure,), figures=tuple(figures))]
