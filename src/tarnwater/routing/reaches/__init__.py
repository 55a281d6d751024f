"""Routing along a channel.

A reach method is one module with a frozen model and the method
``route(inflow, state=None, out=None) -> Routed``: a hydrograph goes in, one comes out, with the water
held in the reach before and after. ``out``, where given, takes the flows.

To add one: write ``<name>.py`` beside these and add it to `ReachMethod`.
"""

from typing import Annotated

from pydantic import Field

from tarnwater.routing.reaches.muskingum import Muskingum
from tarnwater.routing.reaches.passing import Passing
from tarnwater.routing.reaches.routed import Routed

ReachMethod = Annotated[Muskingum | Passing, Field(discriminator="method")]

__all__ = ["Muskingum", "Passing", "ReachMethod", "Routed"]
