"""The elements of a network: each module holds one, its model and its response.

To add an element: write its module, and import it here.
"""

from tarnwater.network.elements.catchment import LONGEST, Catchment, PathHeights
from tarnwater.network.elements.catchment_runoff import CatchmentExcess
from tarnwater.network.elements.confluence import Confluence
from tarnwater.network.elements.element import (
    MEASURED,
    Answer,
    AnyElement,
    AskedOfElement,
    Element,
    OneStorm,
    OwnValues,
    Situation,
)
from tarnwater.network.elements.inflow import FlowCut, Inflow
from tarnwater.network.elements.land import Library
from tarnwater.network.elements.link import Link
from tarnwater.network.elements.outfall import Outfall
from tarnwater.network.elements.pond import Pond
from tarnwater.network.elements.reach import Reach
from tarnwater.network.elements.split import Split
from tarnwater.network.elements.surface import CoverReference, Surface, impervious_land

__all__ = [
    "LONGEST",
    "MEASURED",
    "Answer",
    "AnyElement",
    "AskedOfElement",
    "Catchment",
    "CatchmentExcess",
    "Confluence",
    "CoverReference",
    "Element",
    "FlowCut",
    "Inflow",
    "Library",
    "Link",
    "OneStorm",
    "Outfall",
    "OwnValues",
    "PathHeights",
    "Pond",
    "Reach",
    "Situation",
    "Split",
    "Surface",
    "impervious_land",
]
