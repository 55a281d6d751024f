"""Recovery of a loss in dry spells."""

from __future__ import annotations

from typing import ClassVar

from tarnwater.parameters import parameter
from tarnwater.runoff.losses.loss import Loss

#: Source of recovery as it is computed here.
RECOVERY = "a typed rate, acting in the dry time beyond a typed one"


class Recovering(Loss):
    """A loss that recovers in dry spells at a rate, in the dry time beyond ``dry_after``, never above its start.

    A step is dry where its rain falls no faster than ``dry_below``. Without a rate nothing recovers.
    """

    tires: ClassVar[bool] = True

    recovery: float = parameter(
        "rain rate", "rate at which the loss recovers in dry spells", label="recovery rate", symbol="r", least=0,
        most=1000, usual=(0, 5), source=RECOVERY, default=0.0,
    )  # fmt: skip
    dry_after: float = parameter(
        "time", "dry time after which the loss recovers", label="recovers after", symbol="td", least=0,
        most=366 * 86400, usual=(0, 20 * 86400), source=RECOVERY, default=12 * 3600.0,
    )  # fmt: skip
    dry_below: float = parameter(
        "rain rate", "rain up to which a step is dry", label="dry up to", symbol="id", least=0, most=100, usual=(0, 2),
        source=RECOVERY, default=0.1,
    )  # fmt: skip

    @property
    def recovers(self) -> bool:
        """Whether it recovers."""
        return self.recovery > 0

    @property
    def of_dry_time(self) -> tuple[float, float, float]:
        """Rate (mm/h), dry time (h) and limit of dry rain (mm/h), as the compiled loops take them."""
        return self.recovery, self.dry_after / 3600, self.dry_below
