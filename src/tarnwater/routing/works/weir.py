"""Weirs and spillways."""

from __future__ import annotations

import math
from abc import abstractmethod
from typing import Any, ClassVar, Literal

import numpy as np

from tarnwater.arrays import Floats
from tarnwater.methods import Doubtful
from tarnwater.parameters import parameter
from tarnwater.routing.faces import LEAST_STROKE, Face, Grip, crest_face, raised
from tarnwater.routing.works import codes
from tarnwater.routing.works.codes import Coded
from tarnwater.routing.works.device import GRAVITY, Device

SHARP = "Chow, Maidment and Mays (1988), Applied Hydrology; Francis formula; Villemonte (1947) for drowned crests"
BROAD = "Chow (1959), Open-Channel Hydraulics: critical depth on the crest, and the energy equation where it drowns"

#: Share of the head up to which the water behind a broad crest does not matter: its critical depth.
MODULAR = 2 / 3


def villemonte(head: Floats, behind: Floats, exponent: float) -> Floats:
    """Factor of a drowned sharp crest, (1 − (h2/h1)^n)^0.385, from the heads before and behind it (m)."""
    with np.errstate(divide="ignore", invalid="ignore"):
        ratio = np.where(head > 0, np.clip(behind / head, 0.0, 1.0), 0.0)
    found: Floats = (1 - ratio**exponent) ** 0.385
    return found


def broad_drowned(head: Floats, behind: Floats) -> Floats:
    """Factor of a drowned broad crest from the heads before and behind it (m); 1 up to two thirds.

    The depth on the crest is then that behind it: r √(1 − r), which is greatest at two thirds, where the crest is
    critical, so that the factor begins there without a bend.
    """
    with np.errstate(divide="ignore", invalid="ignore"):
        ratio = np.where(head > 0, np.clip(behind / head, MODULAR, 1.0), MODULAR)
    found: Floats = ratio * np.sqrt(1 - ratio) / (MODULAR * np.sqrt(1 - MODULAR))
    return found


def contracted(length: float, head: Floats, contractions: float) -> Floats:
    """L − 0.1 n H times H^1.5; once it would fall with a greater head it stays at its greatest."""
    if contractions == 0:
        found: Floats = length * head**1.5
        return found
    at_most = np.minimum(head, 6 * length / contractions)
    found = (length - 0.1 * contractions * at_most) * at_most**1.5
    return found


def _crest(meaning: str = "level of the crest") -> Any:
    return parameter("height", meaning, label="crest level", symbol="zc", default=0.0)


def _length(meaning: str = "length of the crest", **own: Any) -> Any:
    return parameter(
        "length",
        meaning,
        label="crest length",
        symbol="L",
        most=1e4,
        usual=(0.1, 300),
        default=2.0,
        **{"above": 0} | own,
    )


def _coefficient(value: float, source: str) -> Any:
    return parameter(
        "weir coefficient", "coefficient of the weir", label="weir coefficient", symbol="C", above=0, most=5,
        usual=(1.2, 2.3), source=source, default=value,
    )  # fmt: skip


class Weir(Device):
    """A crest over which water falls; the same water behind it drowns it."""

    crest: float = _crest()

    @classmethod
    def drawn(cls, low: float, width: float, height: float) -> dict[str, float]:
        """Its crest, and its length where it has one."""
        sized = "length" in cls.model_fields and width >= LEAST_STROKE
        return {"crest": low} | ({"length": width} if sized else {})

    @property
    def invert(self) -> float:
        """Its crest."""
        return self.crest

    @abstractmethod
    def free(self, head: Floats) -> Floats:
        """Flow (m3/s) under heads above the crest (m, none below zero) that falls free."""

    @abstractmethod
    def drowned(self, head: Floats, behind: Floats) -> Floats:
        """Share of the free flow that passes, from the heads before and behind the crest (m)."""

    def flow(self, level: Floats, behind: Floats) -> Floats:
        """The free flow, less what the water behind keeps back."""
        head = np.maximum(level - self.crest, 0.0)
        return self.free(head) * self.drowned(head, np.maximum(behind - self.crest, 0.0))


class SharpWeir(Weir):
    """A rectangular sharp-crested weir, with up to two end contractions."""

    method: Literal["sharp-weir"] = "sharp-weir"
    length: float = _length()
    coefficient: float = _coefficient(1.84, SHARP)
    contractions: float = parameter(
        "factor", "number of end contractions", label="end contractions", symbol="n", least=0, most=2, source=SHARP,
        default=0.0,
    )  # fmt: skip

    title: ClassVar[str] = "sharp-crested weir"
    equation: ClassVar[str] = "Q = C (L − 0.1 n H) H^1.5 (1 − (h_behind / H)^1.5)^0.385"
    source: ClassVar[str] = SHARP
    verified: ClassVar[str] = "published ratings by Francis and Villemonte; no flow at equal levels"

    def free(self, head: Floats) -> Floats:
        """Flow of the crest, shortened by its contractions."""
        return self.coefficient * contracted(self.length, head, self.contractions)

    def drowned(self, head: Floats, behind: Floats) -> Floats:
        """Villemonte's factor."""
        return villemonte(head, behind, 1.5)

    def face(self, top: float) -> Face:
        """Its crest, open up to the top of the pond."""
        return crest_face(self.crest, self.length, 0.0, max(top - self.crest, 0.0))

    def coded(self, behind: Floats | None, highest: float) -> Coded:
        """Crest, length, coefficient and contractions."""
        return Coded(codes.SHARP, (self.crest, self.length, self.coefficient, self.contractions))

    def doubts(self, floor: float, top: float) -> list[Doubtful]:
        """Contractions beyond a head of a third of the length."""
        head = top - self.crest
        if self.contractions == 0 or head <= self.length / 3:
            return []
        text = (
            f"{self.sign}: the end contractions hold up to a head of a third of the crest, {{0}}; the pond rises {{1}}"
            " above it."
        )
        figures = (self.length / 3, "length"), (head, "length")
        return [Doubtful("contractions-beyond-range", "doubt", text, field="contractions", figures=figures)]


class BroadWeir(Weir):
    """A broad-crested weir or an earth spillway: critical depth on the crest."""

    method: Literal["broad-weir"] = "broad-weir"
    length: float = _length()
    coefficient: float = _coefficient(1.70, BROAD)
    side_slope: float = parameter(
        "factor", "run of the ends over their rise", label="side slope, run over rise", symbol="m", least=0, most=50,
        usual=(0, 6), default=0.0,
    )  # fmt: skip

    title: ClassVar[str] = "broad-crested weir"
    equation: ClassVar[str] = (
        "Q = C (L H^1.5 + 0.8 m H^2.5); drowned above h_behind = 2/3 H by h_behind √(H − h_behind)"
    )
    source: ClassVar[str] = BROAD
    verified: ClassVar[str] = "published ratings; the critical flow of the crest; no flow at equal levels"

    def free(self, head: Floats) -> Floats:
        """Flow of the crest and of its sloping ends."""
        found: Floats = self.coefficient * (self.length * head**1.5 + 0.8 * self.side_slope * head**2.5)
        return found

    def drowned(self, head: Floats, behind: Floats) -> Floats:
        """The energy equation beyond two thirds."""
        return broad_drowned(head, behind)

    def face(self, top: float) -> Face:
        """Its crest, open up to the top of the pond."""
        return crest_face(self.crest, self.length, self.side_slope, max(top - self.crest, 0.0))

    def coded(self, behind: Floats | None, highest: float) -> Coded:
        """Crest, length, coefficient and side slope."""
        return Coded(codes.BROAD, (self.crest, self.length, self.coefficient, self.side_slope))


class TrapezoidalWeir(Weir):
    """A sharp-crested weir with sloping ends."""

    method: Literal["trapezoidal-weir"] = "trapezoidal-weir"
    length: float = _length(above=None, least=0)
    side_slope: float = parameter(
        "factor", "run of the ends over their rise", label="side slope, run over rise", symbol="m", least=0, most=50,
        usual=(0, 6), default=0.25,
    )  # fmt: skip
    coefficient: float = _coefficient(1.84, SHARP)

    title: ClassVar[str] = "trapezoidal sharp weir"
    equation: ClassVar[str] = "Q = (C L H^1.5 + 0.8 C m H^2.5) (1 − (h_behind / H)^1.5)^0.385"
    source: ClassVar[str] = SHARP
    verified: ClassVar[str] = "the rectangle and the notch that it is made of; no flow at equal levels"

    def free(self, head: Floats) -> Floats:
        """Flow of the crest and of its sloping ends."""
        found: Floats = self.coefficient * (self.length * head**1.5 + 0.8 * self.side_slope * head**2.5)
        return found

    def drowned(self, head: Floats, behind: Floats) -> Floats:
        """Villemonte's factor."""
        return villemonte(head, behind, 1.5)

    def face(self, top: float) -> Face:
        """Its crest, open up to the top of the pond."""
        return crest_face(self.crest, self.length, self.side_slope, max(top - self.crest, 0.0))

    def coded(self, behind: Floats | None, highest: float) -> Coded:
        """Crest, length, coefficient and side slope."""
        return Coded(codes.SLOPED, (self.crest, self.length, self.coefficient, self.side_slope))


class NotchWeir(Weir):
    """A sharp-crested weir with a V-shaped notch."""

    method: Literal["notch-weir"] = "notch-weir"
    crest: float = _crest("level of the point of the notch")
    angle: float = parameter(
        "angle", "angle between the sides of the notch", label="notch angle", symbol="θ", above=0, below=180,
        usual=(20, 120), source=SHARP, default=90.0,
    )  # fmt: skip
    coefficient: float = parameter(
        "factor", "coefficient of discharge", label="discharge coefficient", symbol="Cd", least=0.01, most=1,
        usual=(0.55, 0.62), source=SHARP, default=0.58,
    )  # fmt: skip

    title: ClassVar[str] = "V-notch weir"
    equation: ClassVar[str] = "Q = 8/15 Cd √(2 g) tan(θ/2) H^2.5 (1 − (h_behind / H)^2.5)^0.385"
    source: ClassVar[str] = SHARP
    verified: ClassVar[str] = "1.37 H^2.5 of a right angle; no flow at equal levels"

    @property
    def _per_head(self) -> float:
        """Flow under a head of one, m3/s."""
        return float(self.coefficient * 8 / 15 * np.sqrt(2 * GRAVITY) * np.tan(np.radians(self.angle) / 2))

    def free(self, head: Floats) -> Floats:
        """Flow of the notch."""
        found: Floats = self._per_head * head**2.5
        return found

    def drowned(self, head: Floats, behind: Floats) -> Floats:
        """Villemonte's factor of a notch."""
        return villemonte(head, behind, 2.5)

    def face(self, top: float) -> Face:
        """The notch, open up to the top of the pond, drawn wider at its upper end."""
        rise = max(top - self.crest, 0.0)
        half = rise * math.tan(math.radians(self.angle) / 2)

        def spread(way: float) -> dict[str, float]:
            wider = max(half + way, 1e-3)
            return {"angle": 2 * math.degrees(math.atan2(wider, rise))} if rise else {}

        grips = (
            Grip("point of the notch", "up", (0.0, self.crest), raised(crest=self.crest)),
            Grip("angle", "across", (half, top), spread),
        )
        outline = ((-half, top), (0.0, self.crest), (half, top))
        return Face(outline=outline, opens=True, moved=raised(crest=self.crest), grips=grips)

    def coded(self, behind: Floats | None, highest: float) -> Coded:
        """The point of the notch, and its flow under a head of one."""
        return Coded(codes.NOTCH, (self.crest, self._per_head))
