"""An ensemble: several patterns for each duration, of which a typical one gives the answer."""

from __future__ import annotations

from typing import ClassVar, Literal

from pydantic import model_validator

from tarnwater.arrays import Floats
from tarnwater.rain.depths import DepthCurve
from tarnwater.rain.patterns.mass_curve import MassCurve, increments_by_shares
from tarnwater.rain.patterns.pattern import Pattern

#: Greatest number of patterns of an ensemble.
MOST_MEMBERS = 100

#: What is typical of the peaks of an ensemble.
Typical = Literal["mean", "median"]


class Ensemble(Pattern):
    """Curves cut from records or published together; a storm is made with each of them.

    The answer of a duration is the ``typical`` peak of its storms, shown by the storm whose peak is nearest to it; the
    governing duration is the one with the greatest typical peak. ``member`` is the curve of one storm of it.
    """

    method: Literal["ensemble"] = "ensemble"
    curves: tuple[MassCurve, ...]
    typical: Typical = "mean"
    member: int = 0

    title: ClassVar[str] = "ensemble"
    equation: ClassVar[str] = "ΔP_k = P [m_j(t_k / D) − m_j((t_k − Δt) / D)], m_j the share of the member j"
    source: ClassVar[str] = "Ball et al. (2019), Australian Rainfall and Runoff, Book 2, Chapter 5"
    verified: ClassVar[str] = "each member's shares; the mean and the median of the peaks; the total at any step"
    nested: ClassVar[bool] = False

    @model_validator(mode="after")
    def _whole(self) -> Ensemble:
        if not 2 <= len(self.curves) <= MOST_MEMBERS:
            raise ValueError(f"an ensemble has 2 to {MOST_MEMBERS} patterns; {len(self.curves)} were given")
        if not 0 <= self.member < len(self.curves):
            raise ValueError("there is no such member of the ensemble")
        names = [curve.name for curve in self.curves]
        if len(set(names)) < len(names):
            raise ValueError("the patterns of an ensemble need different names")
        return self

    @property
    def curves_of_it(self) -> tuple[MassCurve, ...]:
        """Its curves."""
        return self.curves

    @property
    def members(self) -> int:
        """Number of its patterns."""
        return len(self.curves)

    @property
    def typical_peak(self) -> str:
        """What is typical of the peaks of its storms."""
        return self.typical

    def of_member(self, number: int) -> Ensemble:
        """The ensemble with the curve of one of its members."""
        return self.model_copy(update={"member": number})

    def member_name(self, number: int) -> str:
        """Name of one of its patterns."""
        return self.curves[number].name

    def increments(self, curve: DepthCurve, duration: float, step: float) -> Floats:
        """Depth (steps,) in mm of each step (s) of a storm with the curve of its member."""
        fallen = self.curves[self.member].fallen
        return increments_by_shares(fallen, float(curve.depth(duration)), duration, step)
