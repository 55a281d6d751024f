"""Routing along a channel.

A reach method is one module with a frozen model and the method
``route(flow, volume, step, state=None) -> Routed``: inflow ordinates (case, step + 1) in m3/s and
step volumes (case, step) in m3 go in, the same go out with the water held at the end.

To add one: write ``<name>.py`` beside these and add it to `ReachMethod`.
"""

from typing import Annotated

from pydantic import Field

from tarnwater.routing.reaches.muskingum import Muskingum
from tarnwater.routing.reaches.passing import Passing
from tarnwater.routing.reaches.routed import Routed

ReachMethod = Annotated[Muskingum | Passing, Field(discriminator="method")]

__all__ = ["Muskingum", "Passing", "ReachMethod", "Routed"]
