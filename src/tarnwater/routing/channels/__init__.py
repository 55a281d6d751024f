"""Channel sections.

A section is one module with one model, a `Section`, which states its contract. To add one: write ``<name>.py`` beside
these and import it here.
"""

from typing import Annotated

from tarnwater.methods import OneOf
from tarnwater.routing.channels.section import FullSection, Section, UniformFlow, full_radius, full_roughness
from tarnwater.routing.channels.shapes import OfOneRoughness, Parabola, Pipe, Trapezoid
from tarnwater.routing.channels.surveyed import SurveyedSection

AnySection = Annotated[Section, OneOf(Section)]

__all__ = [
    "AnySection",
    "FullSection",
    "OfOneRoughness",
    "Parabola",
    "Pipe",
    "Section",
    "SurveyedSection",
    "Trapezoid",
    "UniformFlow",
    "full_radius",
    "full_roughness",
]
