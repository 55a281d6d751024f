"""Ponds: their storage, their rating, and level-pool routing."""

from tarnwater.routing.ponds.forms import (
    AnyStorage,
    Chambers,
    Contours,
    Frustum,
    Prism,
    StageVolume,
    StorageForm,
)
from tarnwater.routing.ponds.level_pool import SOURCE, Pooled, route, start_of
from tarnwater.routing.ponds.rating import Rating, rate
from tarnwater.routing.ponds.storage import Storage
from tarnwater.routing.ponds.tailwater import (
    AnyTailwater,
    FixedTailwater,
    FreeOutfall,
    RatedTailwater,
    Tailwater,
    TailwaterBelow,
)
from tarnwater.routing.ponds.zones import AnyZone

__all__ = [
    "SOURCE",
    "AnyStorage",
    "AnyTailwater",
    "AnyZone",
    "Chambers",
    "Contours",
    "FixedTailwater",
    "FreeOutfall",
    "Frustum",
    "Pooled",
    "Prism",
    "RatedTailwater",
    "Rating",
    "StageVolume",
    "Storage",
    "StorageForm",
    "Tailwater",
    "TailwaterBelow",
    "rate",
    "route",
    "start_of",
]
