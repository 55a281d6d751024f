"""Outlet works of ponds.

A device is one module with one model, a `Device`, which states its contract. To add one: write ``<name>.py`` beside
these and import it here.
"""

from typing import Annotated

from tarnwater.methods import OneOf
from tarnwater.routing.works.beside import Infiltration, Pump, TypedRating
from tarnwater.routing.works.conduit import BoxCulvert, Conduit, RoundPipe, inlets
from tarnwater.routing.works.device import GRAVITY, Device, Outlet
from tarnwater.routing.works.orifice import RectangularOrifice, RoundOrifice
from tarnwater.routing.works.outlets import Outlets
from tarnwater.routing.works.riser import BoxRiser, Riser, RoundRiser
from tarnwater.routing.works.weir import BroadWeir, NotchWeir, SharpWeir, TrapezoidalWeir, Weir

AnyDevice = Annotated[Device, OneOf(Device)]

__all__ = [
    "GRAVITY",
    "AnyDevice",
    "BoxCulvert",
    "BoxRiser",
    "BroadWeir",
    "Conduit",
    "Device",
    "Infiltration",
    "NotchWeir",
    "Outlet",
    "Outlets",
    "Pump",
    "RectangularOrifice",
    "Riser",
    "RoundOrifice",
    "RoundPipe",
    "RoundRiser",
    "SharpWeir",
    "TrapezoidalWeir",
    "TypedRating",
    "Weir",
    "inlets",
]
