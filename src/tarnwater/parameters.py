"""Parameters are described once: kind, unit, range, meaning and source, beside the field.

Everything that shows or checks a parameter uses this description: validation, editors,
column heads, the schema, reckonings and the methods page.
"""

from __future__ import annotations

import re
import unicodedata
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from functools import cache
from itertools import pairwise
from typing import Annotated, Any, Generic, Self, TypeVar

from pydantic import AfterValidator, BaseModel, ConfigDict, Field, model_validator
from pydantic.fields import FieldInfo

from tarnwater import units
from tarnwater.errors import ComputationFailed, EditRefused, OutOfRange, UnknownName

T = TypeVar("T")


@dataclass(frozen=True)
class Description:
    """The description of a parameter.

    ``above``/``below`` are open bounds, ``least``/``most`` closed ones, in the base unit; ``usual`` is the range
    outside which a value is a doubt; ``symbol`` is used in equations; ``label`` is the trade name if the meaning is
    longer. One that is ``told_when_known`` is shown only where it has a value.
    """

    kind: str
    meaning: str
    symbol: str = ""
    source: str = ""
    least: float | None = None
    most: float | None = None
    above: float | None = None
    below: float | None = None
    usual: tuple[float, float] | None = None
    label: str = ""
    told_when_known: bool = False

    @property
    def name(self) -> str:
        """The trade name with its symbol: ``time of concentration Tc``."""
        return f"{self.label or self.meaning} {self.symbol}".rstrip()

    @property
    def unit(self) -> str:
        """The base unit."""
        return units.kind(self.kind).base

    def check(self, value: float, where: str) -> None:
        """Raise `OutOfRange` if a value is outside the physical range or not finite."""
        low = self.least if self.least is not None else self.above
        high = self.most if self.most is not None else self.below
        fits = (
            (self.least is None or value >= self.least)
            and (self.above is None or value > self.above)
            and (self.most is None or value <= self.most)
            and (self.below is None or value < self.below)
            and abs(value) != float("inf")
        )
        if not fits or value != value:
            raise OutOfRange(
                f"{self.meaning} cannot be {units.show(value, self.kind)}.",
                where=where,
                remedy=f"It must be {self._bounds(low, high)}.",
            )

    def _shown(self, bound: float) -> str:
        return f"{bound:g} s" if self.kind == "time" and 0 < bound < 60 else units.show(bound, self.kind)

    def _bounds(self, low: float | None, high: float | None) -> str:
        parts = []
        if low is not None:
            word = "at least" if self.least is not None else "greater than"
            parts.append(f"{word} {self._shown(low)}")
        if high is not None:
            word = "at most" if self.most is not None else "less than"
            parts.append(f"{word} {self._shown(high)}")
        return " and ".join(parts) or "a finite number"


#: Greatest number of letters of a name.
LONGEST_NAME = 200


def _shown_as_written(name: str) -> str:
    """The name, if it has no control characters and is not too long."""
    hidden = next((c for c in name if unicodedata.category(c) in ("Cc", "Cf", "Zl", "Zp", "Cs")), None)
    if hidden is not None:
        raise ValueError(f"a name cannot hold the control character U+{ord(hidden):04X}")
    if len(name) > LONGEST_NAME:
        raise ValueError(f"a name of {len(name)} letters is too long; it may have {LONGEST_NAME}")
    if not name.strip():
        raise ValueError("a name cannot be empty")
    return name


#: A name for people: of an element, a condition, a family.
Name = Annotated[str, AfterValidator(_shown_as_written)]


def parameter(kind: str, meaning: str, *, default: Any = ..., **known: Any) -> Any:
    """Declare a field of a `Model` with its `Description`; keywords are those of `Description`."""
    description = Description(kind, meaning, **known)
    extra = {"kind": kind, "unit": description.unit, "symbol": description.symbol, "source": description.source}
    bounds = {b: getattr(description, b) for b in ("least", "most", "above", "below", "usual")}
    extra |= {name: bound for name, bound in bounds.items() if bound is not None}
    metadata: dict[str, Any] = {name: value for name, value in extra.items() if value != ""}
    field: Any
    if callable(default):
        field = Field(default_factory=default, description=meaning, json_schema_extra=metadata)
    else:
        field = Field(default, description=meaning, json_schema_extra=metadata)
    field.metadata.append(description)
    return field


def refuse_uneven(
    what: str, heads: tuple[str, str], rising: Sequence[float], beside: Sequence[float], where: str = ""
) -> None:
    """Refuse a table whose first column does not rise, or whose second has another number of entries.

    ``heads`` are the names of both columns in the plural. Raises `EditRefused`.
    """
    rises = all(high > low for low, high in pairwise(rising))
    if len(rising) < 2 or len(rising) != len(beside) or not rises:
        raise EditRefused(
            f"{what} needs at least two rising {heads[0]}, each with one of its {heads[1]}; "
            f"{len(rising)} {heads[0]} and {len(beside)} {heads[1]} were given.",
            where=where,
            remedy=f"Give the {heads[0]} in rising order.",
        )


@dataclass(frozen=True)
class Options:
    """What a field that holds no quantity may be: its meaning, its label, and the words among which one is chosen.

    An empty word among them means none of the others; without any words it is free text.
    """

    meaning: str
    label: str
    among: Callable[[], Sequence[str]]

    def word(self, text: str) -> str:
        """The word that a text names, whatever its case; `UnknownName` with the nearest."""
        words = {word.casefold(): word for word in self.among()}
        if not words:
            return text.strip()
        if text.strip().casefold() not in words:
            raise UnknownName(text, [word for word in words.values() if word], kind=self.label)
        return words[text.strip().casefold()]


def option(meaning: str, among: Callable[[], Sequence[str]] = tuple, *, label: str = "", default: Any = "") -> Any:
    """Declare a field of a `Model` that is one of some words, or free text."""
    field: Any = Field(default, description=meaning)
    field.metadata.append(Options(meaning, label or meaning, among))
    return field


def options_of(field: FieldInfo) -> Options | None:
    """The options of a declared field; None if it is no choice among words."""
    return next((m for m in field.metadata if isinstance(m, Options)), None)


def description_of(field: FieldInfo) -> Description | None:
    """The description of a declared field; None if it holds no quantity."""
    return next((m for m in field.metadata if isinstance(m, Description)), None)


class Model(BaseModel):
    """A frozen model that refuses unknown fields and checks its quantities by their descriptions."""

    model_config = ConfigDict(frozen=True, extra="forbid", validate_default=True, allow_inf_nan=False)

    def model_copy(self, *, update: Mapping[str, Any] | None = None, deep: bool = False) -> Self:
        """A copy with some fields replaced; cached values are not copied."""
        copied = super().model_copy(update=update, deep=deep)
        for name in copied.__dict__.keys() - type(self).model_fields.keys():
            del copied.__dict__[name]
        return copied

    def __reduce__(self) -> tuple[object, ...]:
        """Pickle the fields only, without cached values and memories."""
        made_of = type(self).__pydantic_generic_metadata__
        kind, args = (made_of["origin"], made_of["args"]) if made_of["origin"] else (type(self), ())
        own = {name: self.__dict__[name] for name in type(self).model_fields}
        return _from_parts, (kind, args, own, self.model_fields_set)

    @classmethod
    def quantities(cls) -> tuple[tuple[str, Description], ...]:
        """Names and descriptions of the fields that hold quantities."""
        return _quantities_of(cls)

    @model_validator(mode="before")
    @classmethod
    def _no_truth_values(cls, given: Any) -> Any:
        """Refuse true and false, which would otherwise be read as 1 and 0."""
        if isinstance(given, Mapping):
            for name in _numeric_fields_of(cls):
                value = given.get(name)
                if isinstance(value, bool) or (
                    isinstance(value, list | tuple) and any(v is True or v is False for v in value)
                ):
                    raise ValueError(f"{name.replace('_', ' ')} is a number, not true or false")
        return given

    @model_validator(mode="after")
    def _within_range(self) -> Model:
        for name, description in self.quantities():
            value = getattr(self, name)
            candidates = (value.typed_value, value.derived) if isinstance(value, Setting) else (value,)
            for candidate in candidates:
                for number in candidate if isinstance(candidate, tuple) else (candidate,):
                    if isinstance(number, int | float):
                        description.check(number, name.replace("_", " "))
        for name, options in _options_of_model(type(self)):
            if (words := options.among()) and getattr(self, name) not in words:
                raise UnknownName(str(getattr(self, name)), [w for w in words if w], kind=options.label)
        return self


#: Of the text of an annotation: one that holds a number.
_A_NUMBER = re.compile(r"\b(float|int)\b")


@cache
def _numeric_fields_of(cls: type[Model]) -> tuple[str, ...]:
    """Fields that hold numbers and no truth values."""
    told = {name: str(field.annotation) for name, field in cls.model_fields.items()}
    return tuple(n for n, text in told.items() if _A_NUMBER.search(text) and "bool" not in text)


@cache
def _quantities_of(cls: type[Model]) -> tuple[tuple[str, Description], ...]:
    described = ((name, description_of(field)) for name, field in cls.model_fields.items())
    return tuple((name, found) for name, found in described if found is not None)


@cache
def _options_of_model(cls: type[Model]) -> tuple[tuple[str, Options], ...]:
    found = ((name, options_of(field)) for name, field in cls.model_fields.items())
    return tuple((name, words) for name, words in found if words is not None)


class Typed(Model, Generic[T]):
    """A value a person typed, with who, when and why."""

    value: T
    by: str = ""
    at: str = ""
    note: str = ""


class Setting(Model, Generic[T]):
    """A value that is typed, or derived from its sources; the typed one is used if there is one.

    A derived value is updated when its sources change; a typed one is only changed by a person. A plain number is read
    as typed.
    """

    typed: Typed[T] | None = None
    derived: T | None = None

    @model_validator(mode="before")
    @classmethod
    def _bare(cls, given: Any) -> Any:
        return {"typed": {"value": given}} if isinstance(given, int | float) and not isinstance(given, bool) else given

    @property
    def value(self) -> T | None:
        """The value in use, or None if there is neither."""
        return self.typed.value if self.typed is not None else self.derived

    @property
    def known(self) -> T:
        """The value in use; `ComputationFailed` if there is none."""
        if self.value is None:
            raise ComputationFailed("a value is missing.", remedy="Type it, or give what it is derived from.")
        return self.value

    @property
    def typed_value(self) -> T | None:
        """The typed value, or None."""
        return None if self.typed is None else self.typed.value

    def with_typed(self, value: T, *, by: str = "", at: str = "", note: str = "") -> Setting[T]:
        """A copy of the setting with a typed value; the derived one is kept."""
        kept = type(self).model_validate({"typed": {"value": value, "by": by, "at": at, "note": note}})
        return type(self)(typed=kept.typed, derived=self.derived)

    def with_derived(self, derived: T | None) -> Setting[T]:
        """A copy of the setting with another derived value; the typed one is kept."""
        return self if derived == self.derived else type(self)(typed=self.typed, derived=derived)


def _from_parts(kind: Any, args: tuple[Any, ...], own: dict[str, Any], given: set[str]) -> Any:
    """A model from what `Model.__reduce__` wrote."""
    return (kind[args] if args else kind).model_construct(_fields_set=given, **own)


def typed(value: T, *, by: str = "", at: str = "", note: str = "") -> Setting[T]:
    """A setting with a typed value."""
    return Setting[Any](typed=Typed[Any](value=value, by=by, at=at, note=note))


def derived(value: T) -> Setting[T]:
    """A setting with a derived value only."""
    return Setting[Any](derived=value)
