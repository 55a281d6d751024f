"""Horton infiltration in its cumulative form."""

from __future__ import annotations

from collections.abc import Mapping
from typing import ClassVar, Literal

import numpy as np
from pydantic import model_validator

from tarnwater.arrays import Floats
from tarnwater.errors import EditRefused
from tarnwater.parameters import Setting, parameter
from tarnwater.runoff.losses.excess import Excess
from tarnwater.runoff.losses.loss import by_case
from tarnwater.runoff.losses.recovery import Recovering
from tarnwater.states import State
from tarnwater.units import Quantity

SOURCE = "Horton (1940), SSSA Proceedings 5; cumulative form: Chow, Maidment and Mays (1988), Section 4.4"


class Horton(Recovering):
    """A capacity that falls from ``first`` to ``last`` with the depth that has infiltrated.

    Rain below the capacity infiltrates as a whole and lowers it by its depth only, not by the clock; with recovery the
    depth shrinks in dry spells.
    """

    method: Literal["horton"] = "horton"
    first: Setting[float] = parameter(
        "rain rate", "infiltration capacity at the start", label="first capacity", symbol="f0", least=0, most=5000,
        usual=(1, 500), source=SOURCE, default=Setting[float](),
    )  # fmt: skip
    last: Setting[float] = parameter(
        "rain rate", "infiltration capacity in the end", label="last capacity", symbol="fc", least=0, most=5000,
        usual=(0, 100), source=SOURCE, default=Setting[float](),
    )  # fmt: skip
    decay: Setting[float] = parameter(
        "rate constant", "rate at which the capacity falls under ponding", label="decay of the capacity", symbol="k",
        above=0, most=1000, usual=(0.1, 20), source=SOURCE, default=Setting[float](),
    )  # fmt: skip

    title: ClassVar[str] = "Horton infiltration"
    equation: ClassVar[str] = "f = fc + (f0 − fc) e^(−k tp), F = fc tp + (f0 − fc) (1 − e^(−k tp)) / k, Pe = P − ΔF"
    source: ClassVar[str] = SOURCE
    verified: ClassVar[str] = (
        "a fine-step solution of the cumulative form; the closed form under ponding; balance, batches and cut runs for "
        "random rain"
    )

    fits: ClassVar[Mapping[str, tuple[float, float]]] = {
        "first": (0.0, 500.0), "last": (0.0, 100.0), "decay": (0.05, 20.0)
    }  # fmt: skip
    by_case: ClassVar[frozenset[str]] = frozenset({"first", "last", "decay"})
    needs: ClassVar[Mapping[str, str]] = {
        "first": "Type it.", "last": "Type it.", "decay": "Type it, per hour."
    }  # fmt: skip

    @model_validator(mode="after")
    def _falls(self) -> Horton:
        first, last = self.first.value, self.last.value
        if first is not None and last is not None and first < last:
            raise EditRefused(
                "the first capacity of {} is below the last of {}.",
                values=(Quantity(first, "rain rate"), Quantity(last, "rain rate")),
                remedy="The capacity falls: give the greater one first.",
            )
        return self

    def respond(self, rain: Floats, step: float, state: State = None, **values: Floats) -> Excess:
        """Excess of rain (case, step) in mm; the state is the infiltrated depth in mm and the dry time in h."""
        from tarnwater.runoff.losses import _kernels as kernels

        rain = np.ascontiguousarray(rain, float)
        cases = len(rain)
        first, last, decay = (
            by_case(getattr(self, name).known, values.get(name), cases) for name in ("first", "last", "decay")
        )
        nothing = np.zeros(cases)
        depth, dry = (nothing.copy(), nothing.copy()) if state is None else (part.copy() for part in state)
        excess, lost = np.empty_like(rain), np.zeros(cases)
        rate, after, below = self.of_dry_time
        # a capacity that does not fall is that of its last value
        first = np.maximum(first, last)
        kernels.horton(rain, step / 3600, first, last, decay, rate, after, below, depth, dry, excess, lost)
        return Excess(excess, lost, nothing, (depth, dry))
