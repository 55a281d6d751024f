"""Reaching a field of a model by its path, such as ``surfaces/0/loss/curve_number``."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any

from pydantic import BaseModel

from tarnwater.errors import EditRefused, UnknownName
from tarnwater.network.elements import Element
from tarnwater.parameters import Description, Model, Options, Setting, Typed, description_of, options_of


def parts_of(path: str) -> tuple[str, ...]:
    """Names and positions of a path."""
    return tuple(path.split("/"))


def value_at(model: Model, path: str) -> Any:
    """The value at a path; `UnknownName` with the nearest field if it does not exist."""
    here: Any = model
    for part in parts_of(path):
        here = _step(here, part, path)
    return here


def _step(here: Any, part: str, path: str) -> Any:
    if isinstance(here, tuple):
        if part.isdigit() and int(part) < len(here):
            return here[int(part)]
        raise UnknownName(part, [str(i) for i in range(len(here))], kind="position", where=path)
    fields = type(here).model_fields if isinstance(here, BaseModel) else {}
    if part not in fields:
        raise UnknownName(part, fields, kind="field", where=path)
    return getattr(here, part)


def description_at(model: Model, path: str) -> Description | None:
    """Description of the quantity at a path, or None for something else.

    A quantity of an element may be given by another name, also one that has no place in it until it is typed.
    """
    if isinstance(model, Element) and path not in type(model).model_fields:
        model = model.with_room_for(path)
        path = model.aliases.get(path, path)
    *owner, name = parts_of(path)
    parent = value_at(model, "/".join(owner)) if owner else model
    _step(parent, name, path)
    return None if isinstance(parent, tuple) else description_of(type(parent).model_fields[name])


def quantities_in(model: Any, prefix: str = "") -> Iterator[tuple[str, Description, Any]]:
    """Every quantity in a model and the models in it: its path, its description, and its value."""
    if isinstance(model, tuple):
        for number, part in enumerate(model):
            if isinstance(part, Model):
                yield from quantities_in(part, f"{prefix}{number}/")
        return
    described = dict(type(model).quantities())
    for name in type(model).model_fields:
        value = getattr(model, name)
        if name in described:
            yield f"{prefix}{name}", described[name], value
        elif isinstance(value, Model | tuple):
            yield from quantities_in(value, f"{prefix}{name}/")


def columns_at(model: Model, holder: str) -> dict[str, tuple[Description, tuple[float, ...]]]:
    """Lists of quantities of the model at a path, which are the columns of one table, by name."""
    owner = value_at(model, holder) if holder else model
    found = ((name, described, getattr(owner, name)) for name, described in type(owner).quantities())
    return {name: (described, values) for name, described, values in found if isinstance(values, tuple)}


def options_at(model: Model, path: str) -> Options | None:
    """The words among which a field at a path is chosen, or None for something else."""
    *owner, name = parts_of(path)
    parent = value_at(model, "/".join(owner)) if owner else model
    _step(parent, name, path)
    return None if isinstance(parent, tuple) else options_of(type(parent).model_fields[name])


def options_in(model: Any, prefix: str = "") -> Iterator[tuple[str, Options]]:
    """Every field of a model, and of the models in it, that is one of some words: its path, and the words."""
    if isinstance(model, tuple):
        for number, part in enumerate(model):
            if isinstance(part, Model):
                yield from options_in(part, f"{prefix}{number}/")
        return
    for name, field in type(model).model_fields.items():
        value = getattr(model, name)
        if (found := options_of(field)) is not None:
            yield f"{prefix}{name}", found
        elif isinstance(value, Model | tuple):
            yield from options_in(value, f"{prefix}{name}/")


def with_value(model: Model, path: str, value: Any) -> Any:
    """A validated copy of a model with another value at a path.

    A `Setting` takes a `Typed` (it becomes the typed value), None (the typed value is cleared) or a
    whole `Setting`; any other field takes the value itself, from a `Typed` its ``value``.
    """
    return _replaced(model, parts_of(path), value, path)


def _refuse_truth_value(here: Any, value: Any, path: str) -> None:
    """Refuse true and false, which would otherwise be read as 1 and 0."""
    given = value.value if isinstance(value, Typed) else value
    if isinstance(given, bool) and (
        isinstance(here, Setting) or (isinstance(here, int | float) and here not in (True, False))
    ):
        raise EditRefused(f"{path} is a number, not {str(given).lower()}.", where=path, remedy="Type a number.")


def _replaced(here: Any, parts: tuple[str, ...], value: Any, path: str) -> Any:
    if not parts:
        _refuse_truth_value(here, value, path)
        if isinstance(here, Setting) and not isinstance(value, Setting):
            if value is not None and not isinstance(value, Typed):
                value = Typed[Any](value=value)
            return type(here)(typed=value, derived=here.derived)
        return value.value if isinstance(value, Typed) else value
    head, rest = parts[0], parts[1:]
    new = _replaced(_step(here, head, path), rest, value, path)
    if isinstance(here, tuple):
        position = int(head)
        return (*here[:position], new, *here[position + 1 :])
    fields = {name: getattr(here, name) for name in type(here).model_fields}
    return type(here)(**{**fields, head: new})


def paths_by_name(element: Element) -> dict[str, str]:
    """Path of each quantity of an element by its last name, if that is unique, and by its other names."""
    found: dict[str, list[str]] = {}
    for path, _, _ in quantities_in(element):
        found.setdefault(path.rsplit("/", 1)[-1], []).append(path)
    unique = {name: paths[0] for name, paths in found.items() if len(paths) == 1}
    return {**unique, **element.aliases, **{path: path for paths in found.values() for path in paths}}
