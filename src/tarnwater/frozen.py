"""A dict that cannot change."""

from __future__ import annotations

from typing import Any, NoReturn, TypeVar, get_args

from pydantic import GetCoreSchemaHandler
from pydantic_core import core_schema

V = TypeVar("V")


class FrozenDict(dict[str, V]):
    """A dict that cannot change, so that models can share it."""

    def _refuse(self, *_: object, **__: object) -> NoReturn:
        raise TypeError("a study does not change in place; make an edit")

    __setitem__ = __delitem__ = update = pop = popitem = clear = setdefault = __ior__ = _refuse

    @classmethod
    def __get_pydantic_core_schema__(cls, source: Any, handler: GetCoreSchemaHandler) -> core_schema.CoreSchema:
        (value,) = get_args(source) or (Any,)
        return core_schema.no_info_wrap_validator_function(
            cls._validated, handler.generate_schema(dict.__class_getitem__((str, value)))
        )

    @classmethod
    def _validated(cls, given: Any, validate: core_schema.ValidatorFunctionWrapHandler) -> FrozenDict[V]:
        """The entries as a frozen dict: the given one where nothing is new, so that it stays the same object."""
        made = validate(given)
        # as long and with the very same values, it has the same keys too, in whatever order it was given
        if type(given) is cls and len(made) == len(given) and all(made.get(k) is v for k, v in given.items()):
            return given
        return cls(made)

    def __deepcopy__(self, _: object) -> FrozenDict[V]:
        return self

    def __reduce__(self) -> tuple[object, ...]:
        return type(self), (dict(self),)

    def with_entry(self, key: str, value: V) -> FrozenDict[V]:
        """A copy with one entry added or replaced."""
        return FrozenDict({**self, key: value})

    def without(self, *keys: str) -> FrozenDict[V]:
        """A copy without some entries."""
        return FrozenDict({k: v for k, v in self.items() if k not in keys})
