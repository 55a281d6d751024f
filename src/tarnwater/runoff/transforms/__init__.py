"""From excess rain to flow.

A transform is one module with one model, a `Transform`, which states its contract; one by a unit
hydrograph is a `LinearTransform`. To add one: write ``<name>.py`` beside these and import it here.
"""

from typing import Annotated

from tarnwater.methods import OneOf
from tarnwater.runoff.transforms.cascade import Cascade
from tarnwater.runoff.transforms.clark import Clark
from tarnwater.runoff.transforms.convolution import DirectRunoff, convolve
from tarnwater.runoff.transforms.instantaneous import InstantaneousTransform
from tarnwater.runoff.transforms.kinematic_plane import KinematicPlane
from tarnwater.runoff.transforms.nonlinear_storage import NonlinearStorage
from tarnwater.runoff.transforms.nrcs import NrcsUnitHydrograph
from tarnwater.runoff.transforms.rational import Rational
from tarnwater.runoff.transforms.snyder import SnyderUnitHydrograph
from tarnwater.runoff.transforms.transform import ExcessOnArea, LinearTransform, Transform
from tarnwater.runoff.transforms.travel_time import TravelTimeUnitHydrograph
from tarnwater.runoff.transforms.triangular import TriangularUnitHydrograph
from tarnwater.runoff.transforms.typed_unit import TypedUnitHydrograph
from tarnwater.runoff.transforms.unit_hydrograph import UnitHydrograph

TransformMethod = Annotated[Transform, OneOf(Transform)]

__all__ = [
    "Cascade",
    "Clark",
    "DirectRunoff",
    "ExcessOnArea",
    "InstantaneousTransform",
    "KinematicPlane",
    "LinearTransform",
    "NonlinearStorage",
    "NrcsUnitHydrograph",
    "Rational",
    "SnyderUnitHydrograph",
    "Transform",
    "TransformMethod",
    "TravelTimeUnitHydrograph",
    "TriangularUnitHydrograph",
    "TypedUnitHydrograph",
    "UnitHydrograph",
    "convolve",
]
