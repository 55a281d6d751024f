"""Water balance of elements and of the whole network."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass, fields

import numpy as np

from tarnwater.arrays import Floats


@dataclass(frozen=True, eq=False)
class Balance:
    """Volumes (case,) in m3: inflows and start storage equal outflows, losses and end storage.

    ``inflow`` came by links; ``outside`` was let in by an inflow element.
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
        """A balance in which volumes that are not given are zero."""
        return cls(**{f.name: volumes.get(f.name, np.zeros(cases)) for f in fields(cls)})

    @property
    def error(self) -> Floats:
        """The error of the balance as a share of all that came in (of 1 m3 if nothing did), (case,)."""
        came = self.rain + self.inflow + self.outside + self.baseflow + self.start_storage
        went = self.outflow + self.end_storage + self.losses
        return (came - went) / np.maximum(np.abs(came), 1.0)


def whole_balance(parts: Iterable[Balance], leaving: Iterable[Floats]) -> Balance:
    """Balance of a network from those of its elements and the volumes (case,) that leave at its ends.

    Flow between elements counts on neither side. Water comes in only as rain, from the ground or by inflow elements,
    so a litre that is doubled or lost between elements breaks the balance.
    """
    parts = list(parts)
    total = {f.name: sum(getattr(p, f.name) for p in parts) for f in fields(Balance)}
    return Balance(**{**total, "inflow": np.zeros_like(total["inflow"]), "outflow": sum(leaving)})
