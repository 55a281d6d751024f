"""The steps to which what is dragged is rounded: those in which levels and sizes are built."""

from __future__ import annotations

from tarnwater import units
from tarnwater.parameters import Description

#: Steps by kind of quantity, in the unit named: of storage, and finer ones of devices.
COARSE = {
    "SI": {"height": (0.01, "m"), "length": (0.1, "m"), "area": (1.0, "m²"), "factor": (0.05, ""), "angle": (1.0, "°")},
    "US": {"height": (0.01, "ft"), "length": (0.5, "ft"), "area": (10.0, "ft²"), "factor": (0.05, ""),
           "angle": (1.0, "°")},
}  # fmt: skip
FINE = {"SI": {"length": (5.0, "mm")}, "US": {"length": (0.25, "in")}}

#: Depths are rounded like levels, which they make.
DEPTHS = ("depth", "bedding")


def step_of(description: Description, path: str, system: units.System) -> float:
    """The step of a quantity at a path of a pond, in its base unit."""
    kind, name = description.kind, path.rsplit("/", 1)[-1]
    steps = COARSE[system]
    if kind == "length" and name in DEPTHS:
        kind = "height"
    if path.startswith("devices"):
        steps = steps | FINE[system]
        # a long crest is not built to the millimetre
        if name == "length":
            steps = steps | {"length": (0.05, "m") if system == "SI" else (0.25, "ft")}
    step, unit = steps.get(kind, (0.01, ""))
    return units.convert(step, unit, kind) if unit else step


def rounded_to_step(value: float, step: float) -> float:
    """The nearest whole number of steps."""
    return round(round(value / step) * step, 10)
