"""What every storm pattern answers."""

from __future__ import annotations

from abc import abstractmethod
from collections.abc import Sequence
from typing import ClassVar, Self

from tarnwater.arrays import Floats
from tarnwater.methods import Doubtful, Method
from tarnwater.rain.depth_table import DepthCurve


class Pattern(Method):
    """How the rain of a storm is spread over its time.

    A ``nested`` pattern holds every shorter storm in the longest, so that its family has one length; one of
    ``blocks`` is built so that every window about its peak holds the depth of the table.
    """

    kind: ClassVar[str] = "storm pattern"
    nested: ClassVar[bool]
    blocks: ClassVar[bool] = False

    @abstractmethod
    def increments(self, curve: DepthCurve, duration: float, step: float) -> Floats:
        """Depth (steps,) in mm of each step (s) of a storm of a duration (s); together the depth of the curve."""

    @classmethod
    def variants(cls) -> tuple[tuple[str, str, Self], ...]:
        """What of it can be chosen: a word for the command line, words for the window, and the pattern itself."""
        plain = cls.plain()
        return () if plain is None else ((cls.tag(), cls.title, plain),)

    @property
    def peak(self) -> float | None:
        """Place of its peak in the storm, 0 to 1; None where it cannot be moved."""
        return None

    def with_peak(self, place: float) -> Self:
        """The same with its peak at another place; the same where it cannot be moved."""
        return self

    def doubts(self, durations: Sequence[float], steps: Sequence[float]) -> list[Doubtful]:
        """What it doubts of itself for storms of some durations (s) at some steps (s); nothing by default."""
        return []
