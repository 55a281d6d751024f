"""Travel time along the flow path in segments: sheet flow, shallow concentrated flow, and flow in a channel."""

from __future__ import annotations

import csv
from collections.abc import Callable, Mapping
from functools import cache
from importlib import resources
from typing import Any, ClassVar, Literal

from tarnwater.methods import Asked, Cure, Derivation, Doubtful
from tarnwater.parameters import Setting, option, parameter
from tarnwater.reckoning import Reckoning
from tarnwater.runoff.timing.measures import DerivedTime, Measures
from tarnwater.runoff.timing.timing import Timing

SOURCE = "NRCS National Engineering Handbook, Part 630, Chapter 15"
MANNING = "Manning (1891)"

#: Greatest length of sheet flow, m, and that of McCuen and Spiess (1995) for a slope and roughness of one, m.
MOST_SHEET, SHEET_LIMIT = 30.48, 30.48

PARTS = ("sheet", "shallow", "channel")


@cache
def shallow_speeds() -> dict[str, float]:
    """Speeds of shallow flow at a slope of one, m/s, by the surface (NEH Part 630, Chapter 15)."""
    text = resources.files(__package__).joinpath("shallow_flow.csv").read_text()
    rows = csv.DictReader(line for line in text.splitlines() if not line.startswith("#"))
    return {row["surface"]: float(row["k_m_per_s"]) for row in rows}


def sheet_time(length: float, slope: float, roughness: float, rain: float) -> float:
    """Travel time of sheet flow, s: Tt[h] = 0.0913 (n L)^0.8 / (P2^0.5 S^0.4), L in m, P2 in mm of 24 h."""
    return 3600.0 * 0.0913 * (roughness * length) ** 0.8 / (rain**0.5 * slope**0.4) if length else 0.0


def shallow_time(length: float, slope: float, speed: float) -> float:
    """Travel time of shallow flow, s: length over k S^0.5, k in m/s."""
    return length / (speed * slope**0.5) if length else 0.0


def channel_time(length: float, slope: float, roughness: float, radius: float) -> float:
    """Travel time in a channel, s: length over the velocity by Manning at its full hydraulic radius, m."""
    return length / (radius ** (2 / 3) * slope**0.5 / roughness) if length else 0.0


def _added(*times: float) -> float:
    return sum(times)


def _length(part: str, symbol: str) -> Any:
    return parameter(
        "length", f"length of the {part} flow", label=f"{part} length", symbol=symbol, least=0, most=1e7,
        source="the parts of the flow path", default=Setting[float](),
    )  # fmt: skip


def _slope(part: str, symbol: str) -> Any:
    return parameter(
        "slope", f"slope of the {part} flow", label=f"{part} slope", symbol=symbol, above=0, most=10, usual=(1e-4, 1),
        source="the parts of the flow path", default=Setting[float](),
    )  # fmt: skip


class Segmental(Timing):
    """Time of concentration as the travel time of sheet, shallow and channel flow, each with its length and slope.

    Lengths and slopes follow from the parts of the flow path where it is divided, radius and roughness of the channel
    from its section; all may be typed. A part of no length takes no time and needs nothing else.
    """

    method: Literal["segmental"] = "segmental"
    sheet_length: Setting[float] = _length("sheet", "L1")
    sheet_slope: Setting[float] = _slope("sheet", "S1")
    sheet_roughness: Setting[float] = parameter(
        "factor", "roughness of sheet flow", label="sheet roughness", symbol="n1", above=0, most=2, usual=(0.01, 0.8),
        source=SOURCE, default=Setting[float](),
    )  # fmt: skip
    two_year_rain: Setting[float] = parameter(
        "rain", "rain of 24 h, 1 in 2", label="rain of 24 h, 1 in 2", symbol="P2", above=0, most=1000, usual=(20, 250),
        source=SOURCE, default=Setting[float](),
    )  # fmt: skip
    shallow_length: Setting[float] = _length("shallow", "L2")
    shallow_slope: Setting[float] = _slope("shallow", "S2")
    shallow_surface: str = option("surface of shallow flow", lambda: ("", *shallow_speeds()))
    shallow_speed: Setting[float] = parameter(
        "speed", "speed of shallow flow at a slope of one", label="shallow speed", symbol="k", above=0, most=50,
        usual=(0.5, 10), source=SOURCE, default=Setting[float](),
    )  # fmt: skip
    channel_length: Setting[float] = _length("channel", "L3")
    channel_slope: Setting[float] = _slope("channel", "S3")
    channel_roughness: Setting[float] = parameter(
        "factor", "Manning roughness of the channel", label="channel roughness", symbol="n3", above=0, most=1,
        usual=(0.01, 0.15), source=MANNING, default=Setting[float](),
    )  # fmt: skip
    channel_radius: Setting[float] = parameter(
        "length", "hydraulic radius of the full channel", label="hydraulic radius", symbol="R", above=0, most=100,
        usual=(0.02, 10), source=MANNING, default=Setting[float](),
    )  # fmt: skip

    leads: ClassVar[Literal["lag", "concentration", ""]] = "concentration"
    by_case: ClassVar[bool] = True
    by_section: ClassVar[bool] = True
    title: ClassVar[str] = "segmental travel time"
    equation: ClassVar[str] = "Tc = 0.0913 (n L)^0.8 / (P2^0.5 S^0.4) + L / (k S^0.5) + L n / (R^(2/3) S^0.5)"
    source: ClassVar[str] = SOURCE
    verified: ClassVar[str] = "a worked example in feet; each segment by hand"

    #: What each part needs beside its length and slope.
    of_part: ClassVar[Mapping[str, tuple[str, ...]]] = {
        "sheet": ("sheet_roughness", "two_year_rain"),
        "shallow": ("shallow_speed",),
        "channel": ("channel_roughness", "channel_radius"),
    }

    def refreshed(self, measures: Measures) -> Segmental:
        """A copy with lengths and slopes of the parts of the flow path, and the speed of its surface."""
        update: dict[str, Any] = {"shallow_speed": self.shallow_speed.with_derived(
            shallow_speeds()[self.shallow_surface] if self.shallow_surface else None
        )}  # fmt: skip
        for part in PARTS:
            length, slope = measures.parts.get(part, (None, None))
            update[f"{part}_length"] = getattr(self, f"{part}_length").with_derived(length)
            # a slope of zero has no time; it is typed instead
            update[f"{part}_slope"] = getattr(self, f"{part}_slope").with_derived(slope or None)
        radius, roughness = measures.channel or (None, None)
        update["channel_radius"] = self.channel_radius.with_derived(radius)
        update["channel_roughness"] = self.channel_roughness.with_derived(roughness)
        return self.model_copy(update=update)

    def needed(self, measures: Measures) -> list[str]:
        """Names of the settings that are missing."""
        return self.lacking()

    def lacking(self) -> list[str]:
        """Names of the settings that are missing; a part of no length needs none."""
        found = []
        for part, names in self.of_part.items():
            length = getattr(self, f"{part}_length").value
            if length is None:
                found.append(f"{part}_length")
            elif length:
                found += [name for name in (f"{part}_slope", *names) if getattr(self, name).value is None]
        return found

    def derive(self, measures: Measures) -> DerivedTime | None:
        """Tc in s, or None if an input is missing."""
        if self.lacking():
            return None
        return DerivedTime(_added(*(self._time_of(part) for part in PARTS)), self.leads)

    def _time_of(self, part: str) -> float:
        length, *rest = (getattr(self, name).value for name in self._inputs(part))
        return _TIMES[part](length, *rest) if length else 0.0

    def _inputs(self, part: str) -> tuple[str, ...]:
        return f"{part}_length", f"{part}_slope", *self.of_part[part]

    def derivation(self, name: str, asked: Asked) -> Derivation | None:
        """Lengths and slopes from the parts of the flow path, and the speed from the surface of shallow flow."""
        part, _, measure = name.partition("_")
        if name in ("channel_radius", "channel_roughness"):
            inputs = (asked.around(name),)
            return Derivation("that of the full section of the channel", MANNING, inputs, lambda value: value)
        if name == "shallow_speed" and self.shallow_surface:
            speed = shallow_speeds()[self.shallow_surface]
            return Derivation(f"k of {self.shallow_surface}", SOURCE, (), lambda: speed)
        if part not in PARTS or measure not in ("length", "slope"):
            return None
        inputs = (asked.around(f"path_parts/{PARTS.index(part)}/{measure}"),)
        return Derivation(f"that of the {part} part of the flow path", SOURCE, inputs, lambda value: value)

    def time(self, asked: Asked) -> Derivation:
        """The sum of the travel times, each from its own length, slope and surface."""
        inputs = tuple(
            Reckoning(
                f"travel time of {part} flow", self._time_of(part), "time", symbol=f"Tt{number}",
                equation=_EQUATIONS[part], source=MANNING if part == "channel" else SOURCE,
                inputs=tuple(asked.own(name) for name in self._inputs(part)), evaluate=_TIMES[part],
            )
            for number, part in enumerate(PARTS, start=1)
            if getattr(self, f"{part}_length").value
        )  # fmt: skip
        terms = " + ".join(node.symbol for node in inputs)
        return Derivation(f"Tc = {terms or '0'}", self.source, inputs, _added)

    def doubts(self, measures: Measures) -> list[Doubtful]:
        """Sheet flow longer than its equation holds."""
        length, slope, roughness = self.sheet_length.value, self.sheet_slope.value, self.sheet_roughness.value
        if not length:
            return []
        limits = [(MOST_SHEET, "the greatest for which its equation holds")]
        if slope and roughness:
            limits.append((SHEET_LIMIT * slope**0.5 / roughness, "30.48 √S / n, after which flow gathers"))
        least, words = min(limits)
        if length <= least * (1 + 1e-9):
            return []
        told = f"sheet flow over {{0}} is longer than {{1}}, {words}."
        cure, figures = Cure("Shorten it; the rest is shallow flow."), ((length, "length"), (least, "length"))
        return [Doubtful("sheet-too-long", "doubt", told, (cure,), "sheet_length", figures)]


_TIMES: dict[str, Callable[..., float]] = {"sheet": sheet_time, "shallow": shallow_time, "channel": channel_time}

_EQUATIONS = {
    "sheet": "Tt1 = 0.0913 (n1 L1)^0.8 / (P2^0.5 S1^0.4) h",
    "shallow": "Tt2 = L2 / (k S2^0.5)",
    "channel": "Tt3 = L3 n3 / (R^(2/3) S3^0.5)",
}
