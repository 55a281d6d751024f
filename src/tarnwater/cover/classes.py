"""Classes of land cover: what runs off them, by soil group, return period and roughness."""

from __future__ import annotations

import csv
from collections.abc import Callable, Iterator, Mapping, Sequence
from functools import cache
from importlib import resources
from typing import Literal

from pydantic import Field, field_validator, model_validator

from tarnwater.cover.soils import GROUPS, SoilGroup
from tarnwater.errors import EditRefused, UnknownName
from tarnwater.parameters import Model, Name, parameter

HANDBOOK = "NRCS National Engineering Handbook, Part 630, Chapter 9"

#: Curve number of directly connected impervious land.
IMPERVIOUS_NUMBER = 98.0

#: Rarest return period, years, for which a single runoff coefficient holds as it is.
COMMON = 10.0

#: How a class is drawn over its colour.
Hatch = Literal["plain", "dots", "level", "upright", "slanting", "counter-slanting", "crossed", "net"]
HATCHES: tuple[Hatch, ...] = (
    "plain", "dots", "level", "upright", "slanting", "counter-slanting", "crossed", "net",
)  # fmt: skip

#: Return periods, years, each with the runoff coefficient up to it.
Coefficients = tuple[tuple[float, float], ...]

#: Mixes within mixes, at most.
DEEPEST = 8


class MixPart(Model):
    """A part of a mix: another class with its share; without one it takes what the others leave."""

    cover: str
    share: float | None = parameter("share", "share of the mix", label="share", least=0, most=1, default=None)


def _number(group: str) -> float | None:
    found: float | None = parameter(
        "curve number", f"curve number on soil group {group}, average condition", label=f"curve number {group}",
        least=1, most=100, source=HANDBOOK, default=None,
    )  # fmt: skip
    return found


class CoverClass(Model):
    """Land cover in some condition, or a mix of other classes by share.

    Curve numbers hold for the average antecedent condition and Ia = 0.2 S. ``impervious`` is the share of impervious
    land that they already contain; ``connected`` is that of directly connected impervious land beside it, which becomes
    a surface of its own. ``coefficient`` holds up to 10 years; ``coefficients`` are pairs of a return period, years,
    and the coefficient up to it, and come before it.
    """

    name: Name
    group_a: float | None = _number("A")
    group_b: float | None = _number("B")
    group_c: float | None = _number("C")
    group_d: float | None = _number("D")
    impervious: float = parameter(
        "share", "share of impervious land that the curve numbers contain", label="impervious within",
        least=0, most=1, source=HANDBOOK, default=0.0,
    )  # fmt: skip
    connected: float = parameter(
        "share", "share of directly connected impervious land, a surface of its own", label="connected impervious",
        least=0, most=1, default=0.0,
    )  # fmt: skip
    coefficient: float | None = parameter(
        "factor", "rational runoff coefficient up to 10 years", label="runoff coefficient", symbol="C",
        least=0, most=1, source="ASCE/WPCF (1969)", default=None,
    )  # fmt: skip
    coefficients: tuple[tuple[float, float], ...] = ()
    roughness: float | None = parameter(
        "factor", "Manning roughness of sheet flow", label="roughness", symbol="n", above=0, most=2,
        source="NRCS National Engineering Handbook, Part 630, Chapter 15", default=None,
    )  # fmt: skip
    initial_loss: float | None = parameter(
        "rain", "initial loss", label="initial loss", least=0, most=500, default=None
    )
    constant_loss: float | None = parameter(
        "rain rate", "constant loss", label="constant loss", least=0, most=200, default=None
    )
    parts: tuple[MixPart, ...] = ()
    colour: str = Field("#b9b49a", pattern=r"^#[0-9a-f]{6}$")
    hatch: Hatch = "plain"

    @field_validator("coefficients")
    @classmethod
    def _rising(cls, given: tuple[tuple[float, float], ...]) -> tuple[tuple[float, float], ...]:
        periods = [period for period, _ in given]
        if periods != sorted(set(periods)) or any(period <= 1 for period in periods):
            raise ValueError("runoff coefficients go by return periods above 1 year, each once, in rising order")
        values = [value for _, value in given]
        if any(not 0 <= value <= 1 for value in values) or values != sorted(values):
            raise ValueError("runoff coefficients lie between 0 and 1, and do not fall for rarer storms")
        return given

    @model_validator(mode="after")
    def _mixed(self) -> CoverClass:
        if not self.parts:
            return self
        if any(number is not None for number in self.numbers) or self.coefficient is not None or self.coefficients:
            raise EditRefused(
                f"the class {self.name} is a mix, and has numbers of its own.",
                where=self.name,
                remedy="Clear its numbers, or its parts: those of a mix are those of its parts.",
            )
        shares_of(self.parts, self.name)
        return self

    @property
    def numbers(self) -> tuple[float | None, ...]:
        """Curve numbers on the groups A to D; None where there is none."""
        return self.group_a, self.group_b, self.group_c, self.group_d

    def number(self, group: SoilGroup | None) -> float | None:
        """Curve number on a soil group; None where there is none, or if the group is not known.

        On an unknown soil a class that is the same on all of them, as paving, still has its number.
        """
        if group is not None:
            return self.numbers[GROUPS.index(group)]
        return self.group_a if len(set(self.numbers)) == 1 else None

    def coefficient_at(self, return_period: float) -> float | None:
        """Runoff coefficient for a return period, years; None where there is none.

        Of typed ones that of the first return period at or above it, or the last. A single one is multiplied by the
        factor of rare storms, and is at most 1.
        """
        if self.coefficients:
            above = (value for period, value in self.coefficients if period >= return_period * (1 - 1e-9))
            return next(above, self.coefficients[-1][1])
        return None if self.coefficient is None else min(self.coefficient * frequency_factor(return_period), 1.0)


def shares_of(parts: Sequence[MixPart], where: str = "") -> tuple[float, ...]:
    """Share of each part of a mix; one may take the remainder. `EditRefused` unless they add up to 1."""
    open_ends = [part for part in parts if part.share is None]
    given = sum(part.share for part in parts if part.share is not None)
    if len(open_ends) > 1:
        raise EditRefused(
            "two parts of the mix would take the remainder.", where=where, remedy="Give all shares but one."
        )
    if given > 1 + 1e-9 or (not open_ends and given < 1 - 1e-9):
        raise EditRefused(
            f"the shares of the mix add up to {100 * given:.6g} %.",
            where=where,
            remedy="Let them add up to 100 %, or leave one open: it takes the remainder.",
        )
    rest = max(1.0 - given, 0.0)
    return tuple(rest if part.share is None else part.share for part in parts)


def unmixed(
    name: str, classes: Mapping[str, CoverClass], share: float = 1.0, depth: int = 0
) -> Iterator[tuple[CoverClass, float]]:
    """The classes of which a class is made, with their shares; itself if it is no mix.

    `UnknownName` for one that does not exist; `EditRefused` for a mix that holds itself.
    """
    own = find_cover(name, classes)
    if not own.parts:
        yield own, share
        return
    if depth >= DEEPEST:
        raise EditRefused(
            f"the mix {name} holds itself, or mixes lie too deep.", where=name, remedy="Change its parts."
        )
    for part, own_share in zip(own.parts, shares_of(own.parts, name), strict=True):
        yield from unmixed(part.cover, classes, share * own_share, depth + 1)


@cache
def cover_classes() -> dict[str, CoverClass]:
    """The classes that come with the program, by name. General tables are only guides."""
    classes = {}
    for row in _rows("cover_classes.csv"):
        name = f"{row['cover']}, {row['condition']}" if row["condition"] else row["cover"]
        classes[name] = CoverClass(
            name=name,
            **{f"group_{g.lower()}": float(row[f"group_{g.lower()}"]) for g in GROUPS},
            impervious=float(row["impervious_included_percent"]) / 100,
            coefficient=float(row["coefficient"]) if row["coefficient"] else None,
            roughness=float(row["roughness"]) if row["roughness"] else None,
            colour=row["colour"],
            hatch=row["hatch"],
        )
    return classes


@cache
def _frequency_factors() -> tuple[tuple[float, float], ...]:
    return tuple(
        (float(row["return_period_years_up_to"]), float(row["factor"])) for row in _rows("frequency_factors.csv")
    )


def frequency_factor(return_period: float) -> float:
    """Factor on a runoff coefficient for rare storms; beyond the table that of its last row.

    >>> frequency_factor(10), frequency_factor(25), frequency_factor(200)
    (1.0, 1.1, 1.25)
    """
    factors = _frequency_factors()
    return next((factor for period, factor in factors if return_period <= period * (1 + 1e-9)), factors[-1][1])


def coefficients_by_period(at: Callable[[float], float | None], beside: Sequence[float] = ()) -> Coefficients:
    """Pairs of a return period, years, and the runoff coefficient up to it; none where one is not known.

    ``at`` gives the coefficient of a return period; ``beside`` are return periods at which it changes too.
    """
    periods = sorted({*beside, *(period for period, _ in _frequency_factors())})
    found = [(period, value) for period in periods if (value := at(period)) is not None]
    return tuple(found) if len(found) == len(periods) else ()


def _rows(file: str) -> Iterator[dict[str, str]]:
    text = resources.files(__package__).joinpath(file).read_text()
    return csv.DictReader(line for line in text.splitlines() if not line.startswith("#"))


def find_cover(name: str, classes: Mapping[str, CoverClass] | None = None) -> CoverClass:
    """Find a class by its name, ignoring case, in a library, else among those of the program.

    `UnknownName` with the nearest otherwise.
    """
    own, shipped = classes or {}, cover_classes()
    for library in (own, shipped):
        if name in library:
            return library[name]
    folded = {key.casefold(): found for library in (shipped, own) for key, found in library.items()}
    try:
        return folded[name.casefold()]
    except KeyError as error:
        raise UnknownName(name, {**shipped, **own}, kind="cover class") from error


def composite(areas: Sequence[float], values: Sequence[float]) -> float:
    """Area-weighted curve number or coefficient; NaN where there is no area."""
    total = sum(areas)
    if not total:
        return float("nan")
    return sum(a * n for a, n in zip(areas, values, strict=True)) / total
