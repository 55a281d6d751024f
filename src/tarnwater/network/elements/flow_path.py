"""The parts of a flow path: sheet flow, shallow flow, and flow in a channel."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Literal

import numpy as np

from tarnwater.parameters import Model, Setting, parameter

PathKind = Literal["sheet", "shallow", "channel"]
PATH_KINDS: tuple[PathKind, ...] = ("sheet", "shallow", "channel")

SOURCE = "NRCS National Engineering Handbook, Part 630, Chapter 15"

#: Length of sheet flow where none is typed, m: the greatest for which its equation holds (100 ft).
SHEET_LENGTH = 30.48


class PathPart(Model):
    """A part of a flow path, from its upper to its lower end; its slope follows from the heights of the two."""

    kind: PathKind
    length: Setting[float] = parameter(
        "length", "length of the part", label="length", symbol="L", least=0, most=1e8, source=SOURCE,
        default=Setting[float](),
    )  # fmt: skip
    head: Setting[float] = parameter(
        "height", "height at its upper end", label="upper height", symbol="z1", default=Setting[float]()
    )
    foot: Setting[float] = parameter(
        "height", "height at its lower end", label="lower height", symbol="z2", default=Setting[float]()
    )
    slope: Setting[float] = parameter(
        "slope", "slope of the part", label="slope", symbol="S", least=0, source=SOURCE, default=Setting[float]()
    )

    def with_derived(self, length: float | None, head: float | None, foot: float | None) -> PathPart:
        """A copy with other derived values, and the slope that follows."""
        new = {
            "length": self.length.with_derived(length),
            "head": self.head.with_derived(head),
            "foot": self.foot.with_derived(foot),
        }
        slope = self.slope.with_derived(slope_between(new["head"], new["foot"], new["length"]))
        return self.model_copy(update={**new, "slope": slope})


def slope_between(head: Setting[float], foot: Setting[float], length: Setting[float]) -> float | None:
    """Fall over length, m/m, not below zero; None where a height or the length is not known."""
    high, low, long = head.value, foot.value, length.value
    if high is None or low is None or not long:
        return None
    return max((high - low) / long, 0.0)


def divided(
    parts: Sequence[PathPart], whole: float | None, profile: Sequence[tuple[float, float]] = ()
) -> tuple[PathPart, ...]:
    """Parts of a path of a length, m, in their order down, with heights from its profile.

    Sheet flow has its typed length, else 30.48 m at most; the channel has its own, typed or by the terrain; shallow
    flow is the rest, where both are known. ``profile`` has distances from the head and heights, m.
    """
    of = {part.kind: part for part in parts}
    channel, own_sheet = of["channel"].length.value, of["sheet"].length.typed_value
    sheet = SHEET_LENGTH if whole is None else min(SHEET_LENGTH, max(whole - (channel or 0.0), 0.0))
    lengths: dict[PathKind, float | None] = {"sheet": sheet, "channel": of["channel"].length.derived, "shallow": None}
    if whole is not None and channel is not None:
        lengths["shallow"] = max(whole - channel - (sheet if own_sheet is None else own_sheet), 0.0)
    found, down = [], 0.0
    for kind in PATH_KINDS:
        part, derived = of[kind], lengths[kind]
        typed = part.length.typed_value
        end = down + (typed if typed is not None else derived or 0.0)
        heights = (None, None) if not profile else (_height(profile, down), _height(profile, end))
        found.append(part.with_derived(derived, *heights))
        down = end
    return tuple(found)


def _height(profile: Sequence[tuple[float, float]], distance: float) -> float:
    far, heights = np.array(profile, float).T
    return float(np.interp(distance, far, heights))
