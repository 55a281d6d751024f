"""What the ground keeps of the rain.

A loss method is one module with a frozen model and one method::

    respond(rain, state=None, **values) -> Excess

``rain`` is (case, step) in mm; ``state`` is what an earlier call returned, or None at the start;
``values`` may replace numeric parameters by (case,) arrays. ``Excess.excess`` is what runs off,
``Excess.stored`` what stands on the surface, both (case, step) in mm, and rain = loss + excess +
stored in every step, none of them negative.

To add one: write ``<name>.py`` beside these with its model (a ``method`` literal and parameters
declared by `tarnwater.parameters.parameter`), and add it to `LossMethod` here. The battery of tests
in ``tests/runoff/losses/test_every_loss.py`` then runs over it.
"""

from typing import Annotated

from pydantic import Field

from tarnwater.runoff.losses.curve_number import CurveNumber
from tarnwater.runoff.losses.excess import Excess
from tarnwater.runoff.losses.no_loss import NoLoss

LossMethod = Annotated[CurveNumber | NoLoss, Field(discriminator="method")]

__all__ = ["CurveNumber", "Excess", "LossMethod", "NoLoss"]
