"""Proportional loss: a share of the rain runs off, at once or after an initial loss."""

from __future__ import annotations

from collections.abc import Mapping
from typing import ClassVar, Literal

import numpy as np

from tarnwater.arrays import Floats
from tarnwater.parameters import Setting, parameter
from tarnwater.runoff.losses.excess import Excess
from tarnwater.runoff.losses.initial_constant import SOURCE, initial_loss, of_deficit
from tarnwater.runoff.losses.loss import Loss, by_case
from tarnwater.runoff.losses.recovery import Recovering
from tarnwater.states import State


def _coefficient() -> Setting[float]:
    found: Setting[float] = parameter(
        "factor", "share of the rain that runs off", label="runoff coefficient", symbol="C", least=0, most=1,
        source=SOURCE, default=Setting[float](),
    )  # fmt: skip
    return found


class Proportional(Loss):
    """A share of all rain runs off."""

    method: Literal["proportional"] = "proportional"
    coefficient: Setting[float] = _coefficient()

    title: ClassVar[str] = "proportional loss"
    equation: ClassVar[str] = "Pe = C P"
    source: ClassVar[str] = SOURCE
    verified: ClassVar[str] = "the tests that every loss passes; totals"

    fits: ClassVar[Mapping[str, tuple[float, float]]] = {"coefficient": (0.0, 1.0)}
    by_case: ClassVar[frozenset[str]] = frozenset({"coefficient"})
    needs: ClassVar[Mapping[str, str]] = {"coefficient": "Type it, from 0 to 1."}

    def respond(self, rain: Floats, step: float, state: State = None, **values: Floats) -> Excess:
        """Excess of rain (case, step) in mm."""
        coefficient = by_case(self.coefficient.known, values.get("coefficient"), len(rain))
        nothing = np.zeros(len(rain))
        lost = ((1 - coefficient)[:, None] * rain).sum(axis=1)
        return Excess(coefficient[:, None] * rain, lost, nothing, nothing)


class InitialProportional(Recovering):
    """An initial loss, and a share of the rest that runs off; with recovery the initial loss grows again."""

    method: Literal["initial-proportional"] = "initial-proportional"
    initial: Setting[float] = initial_loss()
    coefficient: Setting[float] = _coefficient()

    title: ClassVar[str] = "initial and proportional loss"
    equation: ClassVar[str] = "Pe = C (P − what IL still lacks)"
    source: ClassVar[str] = SOURCE
    verified: ClassVar[str] = "steps by hand; balance, batches and cut runs for random rain; recovery by hand"

    fits: ClassVar[Mapping[str, tuple[float, float]]] = {"initial": (0.0, 300.0), "coefficient": (0.0, 1.0)}
    by_case: ClassVar[frozenset[str]] = frozenset({"initial", "coefficient"})
    needs: ClassVar[Mapping[str, str]] = {"initial": "Type it; 0 for none.", "coefficient": "Type it, from 0 to 1."}

    def respond(self, rain: Floats, step: float, state: State = None, **values: Floats) -> Excess:
        """Excess of rain (case, step) in mm; the state is the deficit in mm and the dry time in h, each (case,)."""
        cases = len(rain)
        initial = by_case(self.initial.known, values.get("initial"), cases)
        share = 1 - by_case(self.coefficient.known, values.get("coefficient"), cases)
        return of_deficit(self, rain, step, state, initial, np.zeros(cases), share)
