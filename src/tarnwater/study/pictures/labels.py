"""Labels of catchments: what they tell, and places for them without overlap."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass

import numpy as np

from tarnwater import units
from tarnwater.arrays import Floats
from tarnwater.network.elements import Catchment
from tarnwater.parameters import Setting
from tarnwater.study.document import Study


@dataclass(frozen=True)
class LabelField:
    """A figure that a label can tell: its words, a short form of them, its kind, and how it is read."""

    key: str
    words: str
    short: str
    kind: str
    read: Callable[[Catchment], float | None]


def _of(name: str) -> Callable[[Catchment], float | None]:
    def read(one: Catchment) -> float | None:
        held = getattr(one, name)
        return held.value if isinstance(held, Setting) else held

    return read


LABEL_FIELDS: tuple[LabelField, ...] = (
    LabelField("area", "area", "", "area", _of("area")),
    LabelField("curve_number", "curve number", "CN ", "curve number", _of("curve_number")),
    LabelField("lag", "lag time", "lag ", "time", _of("lag")),
    LabelField("concentration", "time of concentration", "Tc ", "time", _of("concentration")),
    LabelField("flow_length", "flow path length", "L ", "length", _of("flow_length")),
    LabelField("slope_10_85", "10-85 slope", "S ", "slope", _of("slope_10_85")),
    LabelField("mean_slope", "mean catchment slope", "Y ", "slope", _of("mean_slope")),
)


def label_words(study: Study, one: Catchment) -> str:
    """The lines of the label of a catchment: its name, and the figures that were chosen and are known."""
    lines = [one.name]
    for field in LABEL_FIELDS:
        value = field.read(one) if field.key in study.map_labels.fields else None
        if value is not None:
            told = units.show_duration(value) if field.kind == "time" else units.show(value, field.kind, study.units)
            lines.append(f"{field.short}{told}")
    return "\n".join(lines)


#: Where a label may stand about its place, in widths and heights of it, the best first.
AROUND: tuple[tuple[float, float], ...] = (
    (0.0, 0.0), (0.0, -0.6), (0.0, 0.6), (0.55, 0.0), (-0.55, 0.0), (0.55, -0.6), (-0.55, -0.6), (0.55, 0.6),
    (-0.55, 0.6), (0.0, -1.2), (0.0, 1.2), (1.1, 0.0), (-1.1, 0.0),
)  # fmt: skip


def without_overlap(places: Floats, sizes: Floats, fixed: Sequence[bool] = ()) -> list[tuple[float, float] | None]:
    """Middles of labels of some sizes (labels, 2) near their places (labels, 2), so that no two overlap.

    Those that are ``fixed`` stand where they are; of the others the earlier ones choose first, and one without room is
    left out (None).
    """
    taken = np.empty((0, 4))
    held = list(fixed) or [False] * len(places)
    found: list[tuple[float, float] | None] = [None] * len(places)
    for number in sorted(range(len(places)), key=lambda n: not held[n]):
        (x, y), (wide, high) = places[number], sizes[number]
        for across, up in AROUND[:1] if held[number] else AROUND:
            left, low = x + across * wide - wide / 2, y + up * high - high / 2
            box = np.array([left, low, left + wide, low + high])
            meets = (taken[:, 0] < box[2]) & (taken[:, 2] > box[0]) & (taken[:, 1] < box[3]) & (taken[:, 3] > box[1])
            if held[number] or not meets.any():
                taken = np.vstack([taken, box])
                found[number] = float(left + wide / 2), float(low + high / 2)
                break
    return found
