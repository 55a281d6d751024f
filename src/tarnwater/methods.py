"""The contract of a method, and how one is found among its kind.

A method is one module with one frozen model. Its kind (a loss, a timing, a transform, a baseflow, a reach method, a
storm pattern) is an abstract class that states the contract. Everything that is shown, checked, explained, written or
computed of a method comes from the method; no other module knows which one it is.
"""

from __future__ import annotations

from abc import ABC
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from typing import Any, ClassVar, Literal, NamedTuple, Protocol, Self, get_args, get_origin

from pydantic import GetCoreSchemaHandler, GetJsonSchemaHandler
from pydantic.json_schema import JsonSchemaValue
from pydantic_core import core_schema

from tarnwater.errors import UnknownName
from tarnwater.parameters import Model, Setting
from tarnwater.reckoning import Reckoning
from tarnwater.units import System, show


class Missing(NamedTuple):
    """A value that is missing: the path of the field, what to do, and what is wrong with one that is there."""

    field: str
    advice: str
    wrong: str = ""

    def within(self, path: str) -> Missing:
        """The same of the element that has its owner at a path."""
        return self._replace(field=f"{path}/{self.field}")

    @property
    def what(self) -> str:
        """What is missing or wrong, in words."""
        return self.wrong or f"the {self.field.rsplit('/', 1)[-1].replace('_', ' ')} is missing."


class Cure(NamedTuple):
    """A remedy of a doubt; with a ``method`` the program can apply it: this method replaces the present one."""

    text: str
    method: Method | None = None


class Doubtful(NamedTuple):
    """A doubt or a note of a method about one of its fields.

    ``figures`` are quantities (value, kind) that the text names by {0}, {1} …, in the units of the study.
    """

    code: str
    severity: Literal["doubt", "note"]
    text: str
    cures: tuple[Cure, ...] = ()
    field: str = ""
    figures: tuple[tuple[float, str], ...] = ()

    def told(self, system: System) -> str:
        """Its text in a system of units."""
        if not self.figures:
            return self.text
        return self.text.format(*(show(value, kind, system) for value, kind in self.figures))


class Asked(Protocol):
    """What a method may ask while it is explained: every answer is a node of its reckoning."""

    #: Name of the element that the method belongs to.
    owner: str

    def own(self, name: str, unit: str = "", symbol: str = "") -> Reckoning:
        """One of the method's own parameters; ``unit`` is that of its number in the equation."""

    def around(self, name: str, unit: str = "", symbol: str = "") -> Reckoning:
        """A value of its surroundings, by the name that its kind states."""

    def within(self, field: str) -> Asked:
        """What a method that one of its fields holds may ask."""


@dataclass(frozen=True)
class Derivation:
    """The derivation of a value: its equation, source, inputs, and the function itself."""

    equation: str
    source: str
    inputs: tuple[Reckoning, ...]
    evaluate: Callable[..., Any]


class Method(Model, ABC):
    """A method of some kind. It has a field ``method`` with its tag, and class variables for the rest.

    ``needs`` are the settings that it requires, with the remedy where one has no value.
    """

    #: Word for a method of the kind.
    kind: ClassVar[str]

    title: ClassVar[str]
    equation: ClassVar[str]
    source: ClassVar[str]
    verified: ClassVar[str]
    needs: ClassVar[Mapping[str, str]] = {}
    #: Parameters that are columns of the sheet of elements, with short heads.
    columns: ClassVar[Mapping[str, str]] = {}

    #: Methods of the kind by tag; each kind has its own.
    known: ClassVar[dict[str, type[Self]]]

    @classmethod
    def __pydantic_init_subclass__(cls, **kwargs: Any) -> None:
        """Register a method among its kind."""
        super().__pydantic_init_subclass__(**kwargs)
        if Method in cls.__bases__:
            cls.known = {}
        elif "method" in cls.model_fields:
            cls.known[cls.tag()] = cls  # type: ignore[assignment]

    @classmethod
    def tag(cls) -> str:
        """The tag by which a file names it."""
        return str(cls.model_fields["method"].default)

    @classmethod
    def of_tag(cls, tag: str) -> type[Self]:
        """A method of the kind by its tag; `UnknownName` with the nearest."""
        if tag not in cls.known:
            raise UnknownName(tag, cls.known, kind=cls.kind)
        return cls.known[tag]

    @classmethod
    def choices(cls) -> list[type[Self]]:
        """The methods of the kind, or of a narrower class of it."""
        return [method for method in cls.known.values() if issubclass(method, cls)]

    @classmethod
    def plain(cls) -> Self | None:
        """The method with its defaults; None if it has required parameters."""
        return None if any(field.is_required() for field in cls.model_fields.values()) else cls()

    def missing(self) -> list[Missing]:
        """Its required settings that have no value."""
        return [
            Missing(name, advice)
            for name, advice in self.needs.items()
            if isinstance(setting := getattr(self, name), Setting) and setting.value is None
        ]

    def untyped(self) -> Self:
        """A copy without what was typed in its settings; parameters that are no settings stay."""
        typed = {
            name: value.model_copy(update={"typed": None})
            for name, _ in self.quantities()
            if isinstance(value := getattr(self, name), Setting) and value.typed is not None
        }
        return self.model_copy(update=typed) if typed else self

    def with_values(self, names: Sequence[str], values: Sequence[Any]) -> Self:
        """A copy with other values of some parameters, as if they were typed."""
        held = {name: getattr(self, name) for name in names}
        new = zip(names, values, strict=True)
        return self.model_copy(update={n: held[n].with_typed(v) if isinstance(held[n], Setting) else v for n, v in new})

    def derivation(self, name: str, asked: Asked) -> Derivation | None:
        """The derivation of one of its derived values; None for a name that it does not derive."""
        return None


@dataclass(frozen=True)
class OneOf:
    """Reads a field that holds one model of a kind, among those known at that time.

    ``kind`` has its models by tag as ``known``, of which its own are taken; ``called`` is the word for
    one of them, and ``tag`` the field with its tag; without it a model is of the ``usual`` tag, if there is one. An
    ``optional`` field may also hold None.
    """

    kind: type[Model]
    called: str = ""
    tag: str = "method"
    usual: str = ""
    optional: bool = False

    def __get_pydantic_core_schema__(self, source: Any, handler: GetCoreSchemaHandler) -> core_schema.CoreSchema:
        """A schema that finds the class by its tag; a model is written as its own class."""
        return core_schema.no_info_plain_validator_function(self._read)

    def __get_pydantic_json_schema__(
        self, schema: core_schema.CoreSchema, handler: GetJsonSchemaHandler
    ) -> JsonSchemaValue:
        """One of the methods there are."""
        found: list[Any] = [handler(method.__pydantic_core_schema__) for method in self._known.values()]
        return {"oneOf": [*found, {"type": "null"}] if self.optional else found}

    @property
    def _called(self) -> str:
        return self.called or str(self.kind.kind)  # type: ignore[attr-defined]

    @property
    def _known(self) -> Mapping[str, type[Model]]:
        known: Mapping[str, type[Model]] = self.kind.known  # type: ignore[attr-defined]
        return {tag: model for tag, model in known.items() if issubclass(model, self.kind)}

    def _read(self, given: Any) -> Model | None:
        if isinstance(given, self.kind) or (given is None and self.optional):
            return given
        if not isinstance(given, Mapping):
            article = "an" if self._called[0] in "aeiou" else "a"
            raise ValueError(f"{article} {self._called} is an object with the field “{self.tag}”")
        tag = given.get(self.tag, self.usual or None)
        if not isinstance(tag, str) or tag not in self._known:
            raise ValueError(f"there is no {self._called} {tag!r}; there are {', '.join(self._known)}")
        return self._known[tag].model_validate(given)


def kind_of(field: Any) -> type[Method] | None:
    """The kind of method that a field holds, by its metadata; None for one that holds none."""
    return _kind_among(field.metadata)


def kind_within(field: Any) -> type[Method] | None:
    """The kind of the methods of which a field holds several; None for one that does not."""
    if get_origin(field.annotation) is not tuple:
        return None
    return _kind_among([part for held in get_args(field.annotation) for part in getattr(held, "__metadata__", ())])


def _kind_among(metadata: Sequence[Any]) -> type[Method] | None:
    found = (part.kind for part in metadata if isinstance(part, OneOf))
    return next((kind for kind in found if issubclass(kind, Method)), None)
