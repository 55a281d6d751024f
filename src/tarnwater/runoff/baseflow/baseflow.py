"""The contract of a baseflow method."""

from __future__ import annotations

from abc import abstractmethod
from dataclasses import dataclass
from typing import ClassVar

from tarnwater.arrays import Floats
from tarnwater.methods import Method
from tarnwater.states import State


@dataclass(frozen=True, eq=False)
class FromGround:
    """Flow from the ground of some cases.

    ``flow`` m3/s at the ends of the steps, (case, step + 1) or one number if it is constant;
    ``volume`` (case,) m3 of all steps; ``state`` is the end state.
    """

    flow: Floats | float
    volume: Floats
    state: State = None


class Baseflow(Method):
    """Flow from the ground, added to the direct runoff before routing."""

    kind: ClassVar[str] = "baseflow method"

    @abstractmethod
    def respond(self, cases: int, step: float, steps: int, state: State = None) -> FromGround:
        """Flow from the ground over ``steps`` steps (s) of some cases."""

    @property
    @abstractmethod
    def steady(self) -> float:
        """Flow that remains when a flood has passed, m3/s."""

    def memory(self) -> float:
        """Time for which its flow changes after the rain, s; zero by default."""
        return 0.0
