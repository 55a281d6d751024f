"""Water from the ground that was there before the rain.

A baseflow method is one module with a frozen model and the method ``flow(steps) -> (steps + 1,)``
in m3/s. To add one: write ``<name>.py`` beside these and add it to `Baseflow`.
"""

from typing import Annotated

from pydantic import Field

from tarnwater.runoff.baseflow.constant import ConstantBaseflow
from tarnwater.runoff.baseflow.no_baseflow import NoBaseflow

Baseflow = Annotated[NoBaseflow | ConstantBaseflow, Field(discriminator="method")]

__all__ = ["Baseflow", "ConstantBaseflow", "NoBaseflow"]
