"""Routing along a channel.

A reach method is one module with one model, a `Routing`, which states its contract. To add one: write
``<name>.py`` beside these and import it here.
"""

from typing import Annotated

from tarnwater.methods import OneOf
from tarnwater.routing.reaches.kinematic_wave import KinematicWave
from tarnwater.routing.reaches.muskingum import Muskingum
from tarnwater.routing.reaches.muskingum_cunge import MuskingumCunge
from tarnwater.routing.reaches.passing import Passing
from tarnwater.routing.reaches.pure_lag import PureLag
from tarnwater.routing.reaches.routed import Routed
from tarnwater.routing.reaches.routing import Routing
from tarnwater.routing.reaches.storage_discharge import StorageDischarge

ReachMethod = Annotated[Routing, OneOf(Routing)]

__all__ = [
    "KinematicWave",
    "Muskingum",
    "MuskingumCunge",
    "Passing",
    "PureLag",
    "ReachMethod",
    "Routed",
    "Routing",
    "StorageDischarge",
]
