"""Initial and constant loss: a deficit that is filled first, then a rate."""

from __future__ import annotations

from collections.abc import Mapping
from typing import ClassVar, Literal

import numpy as np

from tarnwater.arrays import Floats
from tarnwater.parameters import Setting, parameter
from tarnwater.runoff.losses.excess import Excess
from tarnwater.runoff.losses.loss import by_case
from tarnwater.runoff.losses.recovery import Recovering
from tarnwater.states import State

SOURCE = "Pilgrim and Cordery (1993), in Maidment, Handbook of Hydrology, Section 9.4"


def initial_loss() -> Setting[float]:
    """The field of an initial loss."""
    found: Setting[float] = parameter(
        "rain", "rain that is lost before any runs off", label="initial loss", symbol="IL", least=0, most=2000,
        usual=(0, 150), source=SOURCE, default=Setting[float](),
    )  # fmt: skip
    return found


class InitialConstant(Recovering):
    """An initial loss, and a constant rate after it; with recovery the initial loss grows again in dry spells."""

    method: Literal["initial-constant"] = "initial-constant"
    initial: Setting[float] = initial_loss()
    constant: Setting[float] = parameter(
        "rain rate", "rate of loss after the initial one", label="constant loss", symbol="CL", least=0, most=1000,
        usual=(0, 50), source=SOURCE, default=Setting[float](),
    )  # fmt: skip

    title: ClassVar[str] = "initial and constant loss"
    equation: ClassVar[str] = "Pe = P − (what IL still lacks) − CL t, t the rest of the step in which IL is met"
    source: ClassVar[str] = SOURCE
    verified: ClassVar[str] = (
        "steps by hand; halved steps; balance, batches and cut runs for random rain; recovery by hand"
    )

    fits: ClassVar[Mapping[str, tuple[float, float]]] = {"initial": (0.0, 300.0), "constant": (0.0, 100.0)}
    by_case: ClassVar[frozenset[str]] = frozenset({"initial", "constant"})
    needs: ClassVar[Mapping[str, str]] = {
        "initial": "Type it; 0 for none.",
        "constant": "Type it; 0 for none.",
    }

    def respond(self, rain: Floats, step: float, state: State = None, **values: Floats) -> Excess:
        """Excess of rain (case, step) in mm; the state is the deficit in mm and the dry time in h, each (case,)."""
        cases = len(rain)
        constant = by_case(self.constant.known, values.get("constant"), cases)
        initial = by_case(self.initial.known, values.get("initial"), cases)
        return of_deficit(self, rain, step, state, initial, constant, np.zeros(cases))


def of_deficit(
    loss: Recovering, rain: Floats, step: float, state: State, initial: Floats, constant: Floats, share: Floats
) -> Excess:
    """Excess after a deficit (case,) mm has been filled: less a rate (case,) mm/h, then less a share (case,)."""
    from tarnwater.runoff.losses import _kernels as kernels

    rain = np.ascontiguousarray(rain, float)
    deficit, dry = (initial.copy(), np.zeros(len(rain))) if state is None else (part.copy() for part in state)
    excess, lost = np.empty_like(rain), np.zeros(len(rain))
    rate, after, below = loss.of_dry_time
    kernels.initial_constant(
        rain, step / 3600, initial, constant, share, rate, after, below, deficit, dry, excess, lost
    )
    return Excess(excess, lost, np.zeros(len(rain)), (deficit, dry))
