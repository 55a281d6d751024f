"""What every baseflow method answers."""

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

    ``flow`` m3/s at the ends of the steps, (case, step + 1) or one number where it is the same throughout;
    ``volume`` (case,) m3 of all steps; ``state`` carries a run on.
    """

    flow: Floats | float
    volume: Floats
    state: State = None


class Baseflow(Method):
    """Water from the ground that was there before the rain, added to the direct runoff before routing."""

    kind: ClassVar[str] = "baseflow method"

    @abstractmethod
    def respond(self, cases: int, step: float, steps: int, state: State = None) -> FromGround:
        """Flow from the ground over ``steps`` steps (s) of some cases."""

    @property
    @abstractmethod
    def steady(self) -> float:
        """Flow to which a hydrograph falls when its flood has passed, m3/s."""

    def memory(self) -> float:
        """How long what it adds changes after the rain, s; not at all by default."""
        return 0.0
