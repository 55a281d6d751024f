"""Storm patterns: the distribution of rain over the duration of a storm.

A pattern is one module with one model, a `Pattern`, which states its contract. To add one: write
``<name>.py`` beside these and import it here.
"""

from typing import Annotated

from tarnwater.methods import OneOf
from tarnwater.rain.patterns.alternating_block import AlternatingBlock
from tarnwater.rain.patterns.balanced import Balanced
from tarnwater.rain.patterns.chicago import Chicago
from tarnwater.rain.patterns.ensemble import Ensemble
from tarnwater.rain.patterns.huff import Huff
from tarnwater.rain.patterns.mass_curve import MassCurve
from tarnwater.rain.patterns.pattern import Pattern
from tarnwater.rain.patterns.triangular import Triangular
from tarnwater.rain.patterns.twenty_four_hour import TwentyFourHour
from tarnwater.rain.patterns.typed_curve import TypedCurve
from tarnwater.rain.patterns.uniform import Uniform

PatternMethod = Annotated[Pattern, OneOf(Pattern)]


def variants() -> tuple[tuple[str, str, Pattern], ...]:
    """All patterns: a word for the command line, words for the window, and the pattern.

    Those that are not nested come first.
    """
    patterns = sorted(Pattern.known.values(), key=lambda pattern: pattern.nested)
    return tuple(variant for pattern in patterns for variant in pattern.variants())


__all__ = [
    "AlternatingBlock", "Balanced", "Chicago", "Ensemble", "Huff", "MassCurve", "Pattern", "PatternMethod",
    "Triangular", "TwentyFourHour", "TypedCurve", "Uniform", "variants",
]  # fmt: skip
