"""How the rain of a storm is spread over its time.

A pattern is one module with a frozen model and the method
``increments(curve, duration, step) -> (steps,)`` in mm, which add up to the depth of the curve. A
``nested`` pattern holds every shorter storm in the longest, so that its family has one length. To add
one: write ``<name>.py`` beside these and add it to `Pattern`.
"""

from typing import Annotated

from pydantic import Field

from tarnwater.rain.patterns.alternating_block import AlternatingBlock
from tarnwater.rain.patterns.huff import Huff
from tarnwater.rain.patterns.triangular import Triangular
from tarnwater.rain.patterns.twenty_four_hour import TwentyFourHour

Pattern = Annotated[Huff | Triangular | AlternatingBlock | TwentyFourHour, Field(discriminator="method")]

__all__ = ["AlternatingBlock", "Huff", "Pattern", "Triangular", "TwentyFourHour"]
