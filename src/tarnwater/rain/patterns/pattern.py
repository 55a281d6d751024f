"""The contract of a storm pattern."""

from __future__ import annotations

from abc import abstractmethod
from collections.abc import Sequence
from typing import TYPE_CHECKING, ClassVar, Self

from tarnwater.arrays import Floats
from tarnwater.methods import Doubtful, Method
from tarnwater.rain.depths import DepthCurve
from tarnwater.rain.patterns.mass_curve import MassCurve


class Pattern(Method):
    """Storm patterns: the distribution of rain over the duration of a storm.

    A ``nested`` pattern contains every shorter storm in the longest, so its family has one length. In a pattern of
    ``blocks`` every window about the peak has the depth of the table.
    """

    kind: ClassVar[str] = "storm pattern"
    nested: ClassVar[bool]
    #: Whether its rain is even throughout.
    is_even: ClassVar[bool] = False
    blocks: ClassVar[bool] = False

    @abstractmethod
    def increments(self, curve: DepthCurve, duration: float, step: float) -> Floats:
        """Depth (steps,) in mm of each step (s) of a storm of a duration (s); together the depth of the curve."""

    @classmethod
    def variants(cls) -> tuple[tuple[str, str, Self], ...]:
        """Its variants: a word for the command line, words for the window, and the pattern."""
        plain = cls.plain()
        return () if plain is None else ((cls.tag(), cls.title, plain),)

    @property
    def peak(self) -> float | None:
        """Position of its peak in the storm, 0 to 1; None if it cannot be moved."""
        return None

    def with_peak(self, place: float) -> Self:
        """A copy with its peak at another position; the pattern itself if it cannot be moved."""
        return self

    def doubts(self, durations: Sequence[float], steps: Sequence[float]) -> list[Doubtful]:
        """Its doubts about itself for storms of some durations (s) at some steps (s); nothing by default."""
        return []

    @property
    def label(self) -> str:
        """Its words for the window."""
        return self.title

    @property
    def curves_of_it(self) -> tuple[MassCurve, ...]:
        """The typed curves that it is made of, if it is."""
        return ()

    @property
    def members(self) -> int:
        """Number of its patterns: more than one in an ensemble."""
        return 1

    def of_member(self, number: int) -> Self:
        """The pattern of one of its members; itself where there is only one."""
        return self

    def member_name(self, number: int) -> str:
        """Name of one of its members; empty where there is only one."""
        return ""

    @property
    def typical_peak(self) -> str:
        """What is typical of the peaks of its members: their mean, or their median; empty where there is only one."""
        return ""


class PeakedPattern(Pattern):
    """A pattern whose peak can be moved: it has a parameter ``peak_position``."""

    if TYPE_CHECKING:
        peak_position: float

    @property
    def peak(self) -> float:
        """Position of its peak in the storm, 0 to 1."""
        return self.peak_position

    def with_peak(self, place: float) -> Self:
        """A copy with its peak at another position."""
        return type(self)(**{**dict(self), "peak_position": place})
