"""A typed pattern: the share of the depth that has fallen by shares of the time."""

from __future__ import annotations

from collections.abc import Sequence
from typing import ClassVar, Literal

from tarnwater.arrays import Floats
from tarnwater.methods import Cure, Doubtful
from tarnwater.parameters import parameter
from tarnwater.rain.depths import DepthCurve
from tarnwater.rain.patterns.mass_curve import MassCurve, increments_by_shares
from tarnwater.rain.patterns.pattern import Pattern
from tarnwater.units import show_duration


class TypedCurve(Pattern):
    """A curve typed, pasted or imported; ``meant_for`` is the duration it belongs to, if it belongs to one."""

    method: Literal["typed"] = "typed"
    curve: MassCurve
    meant_for: float | None = parameter(
        "time", "duration that it is meant for", least=1, most=366 * 86400, default=None
    )

    title: ClassVar[str] = "typed"
    equation: ClassVar[str] = "ΔP_k = P [m(t_k / D) − m((t_k − Δt) / D)], m the typed share"
    source: ClassVar[str] = "as typed"
    verified: ClassVar[str] = "the typed shares at their times; the total at any step and duration"
    nested: ClassVar[bool] = False

    @property
    def label(self) -> str:
        """Its words for the window."""
        return f"“{self.curve.name}”, typed"

    @property
    def curves_of_it(self) -> tuple[MassCurve, ...]:
        """Its curve."""
        return (self.curve,)

    def doubts(self, durations: Sequence[float], steps: Sequence[float]) -> list[Doubtful]:
        """A doubt where it is stretched to another duration than its own."""
        others = [show_duration(d) for d in durations if self.meant_for is not None and d != self.meant_for]
        if not others:
            return []
        told = f"“{self.curve.name}”, a pattern of {show_duration(self.meant_for or 0)}, on {', '.join(others)}."
        return [
            Doubtful("pattern-on-other-duration", "doubt", told, (Cure("Keep its duration, or take another pattern."),))
        ]

    def increments(self, curve: DepthCurve, duration: float, step: float) -> Floats:
        """Depth (steps,) in mm of each step (s) of a storm of a duration (s)."""
        return increments_by_shares(self.curve.fallen, float(curve.depth(duration)), duration, step)
