"""Water balance of elements and of the whole network."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass, fields

import numpy as np

from tarnwater.arrays import Floats


@dataclass(frozen=True, eq=False)
class Balance:
    """Volumes (case,) in m3: all that came in and was there equals all that left, was lost and is there at the end.

    ``inflow`` is what came in by links, ``outside`` what an inflow element let in.
    """

    rain: Floats
    inflow: Floats
    outside: Floats
    baseflow: Floats
    start_storage: Floats
    outflow: Floats
    end_storage: Floats
    losses: Floats

    @classmethod
    def of(cls, cases: int, **volumes: Floats) -> Balance:
        """A balance with what is not given at zero."""
        return cls(**{f.name: volumes.get(f.name, np.zeros(cases)) for f in fields(cls)})

    @property
    def error(self) -> Floats:
        """What does not balance, as a share of all that came in (of 1 m3 where nothing did), (case,)."""
        came = self.rain + self.inflow + self.outside + self.baseflow + self.start_storage
        went = self.outflow + self.end_storage + self.losses
        return (came - went) / np.maximum(np.abs(came), 1.0)


def whole_balance(parts: Iterable[Balance], leaving: Iterable[Floats]) -> Balance:
    """Balance of a network from those of its elements and the volumes (case,) that leave at its ends.

    What is handed from element to element is inside it and counts on neither side: water comes in as rain, from the
    ground or by inflow elements only, so that a litre that is doubled or lost on the way does not balance.
    """
    parts = list(parts)
    total = {f.name: sum(getattr(p, f.name) for p in parts) for f in fields(Balance)}
    return Balance(**{**total, "inflow": np.zeros_like(total["inflow"]), "outflow": sum(leaving)})
