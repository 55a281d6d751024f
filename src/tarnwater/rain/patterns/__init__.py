"""How the rain of a storm is spread over its time.

A pattern is one module with a frozen model and the method
``increments(table, duration, return_period, step) -> (steps,)`` in mm, which add up to the depth of
the table. To add one: write ``<name>.py`` beside these and add it to `Pattern`.
"""

from typing import Annotated

from pydantic import Field

from tarnwater.rain.patterns.alternating_block import AlternatingBlock
from tarnwater.rain.patterns.twenty_four_hour import TwentyFourHour

Pattern = Annotated[AlternatingBlock | TwentyFourHour, Field(discriminator="method")]

__all__ = ["AlternatingBlock", "Pattern", "TwentyFourHour"]
