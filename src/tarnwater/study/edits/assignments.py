"""Values and methods given as ``field=value``."""

from __future__ import annotations

import re
from collections.abc import Iterator, Mapping
from functools import cache
from typing import Any, get_origin

from tarnwater import units
from tarnwater.errors import BadInput, UnknownName
from tarnwater.methods import Method, kind_of, kind_within
from tarnwater.network.elements import Element
from tarnwater.parameters import Model, Setting, Typed, description_of, options_of
from tarnwater.study import edits
from tarnwater.study.document import Study, checked
from tarnwater.study.document.conditions import resolve
from tarnwater.study.document.fields import options_at, options_in, quantities_in, value_at

#: Word for a value that clears a typed one, so that the derived one is used again.
CLEARED = "derived"


def method_paths(model: Any, prefix: str = "") -> Iterator[tuple[str, type[Method]]]:
    """Paths of the fields of an element that hold a method, with its kind."""
    if isinstance(model, tuple):
        for number, part in enumerate(model):
            yield from method_paths(part, f"{prefix}{number}/")
    elif isinstance(model, Model):
        for name, kind, within in _kinds_of(type(model)):
            held = getattr(model, name)
            if kind is not None:
                yield f"{prefix}{name}", kind
                yield from method_paths(held, f"{prefix}{name}/")
            elif within is not None:
                for number, part in enumerate(held):
                    yield f"{prefix}{name}/{number}", within
                    yield from method_paths(part, f"{prefix}{name}/{number}/")
            elif isinstance(held, Model | tuple):
                yield from method_paths(held, f"{prefix}{name}/")


@cache
def _kinds_of(model: type[Model]) -> tuple[tuple[str, type[Method] | None, type[Method] | None], ...]:
    """Fields of a model with the kind of the method that each holds, and of those in a tuple of it."""
    return tuple((name, kind_of(field), kind_within(field)) for name, field in model.model_fields.items())


def find_path(element: Element, field: str) -> str:
    """The path of a quantity named by its path or its last name; `UnknownName` with the nearest."""
    paths = [*(path for path, _, _ in quantities_in(element)), *(path for path, _ in options_in(element))]
    if field in paths:
        return field
    if field in element.aliases:
        return element.aliases[field]
    matching = [p for p in paths if p.rsplit("/", 1)[-1] == field]
    if len(matching) > 1:
        raise BadInput(
            f"{element.name} has several: {', '.join(p.replace('/', '.') for p in matching)}.",
            where=field,
            remedy="Name the one meant by its path.",
        )
    if not matching:
        names = dict.fromkeys(
            p.rsplit("/", 1)[-1] for p in (*paths, *element.aliases, *(path for path, _ in method_paths(element)))
        )
        raise UnknownName(field, names, kind="field", where=element.name)
    return matching[0]


def address(element: Element, field: str) -> str:
    """The path that a field given in words addresses, as ``loss.curve_number`` or ``surfaces.yard.loss``.

    A part of an element is named by its name or its position; an address may begin with a field that holds a method,
    if its name is unique. Parameters of a method are not looked up, because another method may be chosen with them.
    """
    first, *rest = re.split(r"[./]", field)
    holding = [path for path, _ in method_paths(element)]
    if first in type(element).model_fields:
        parts = [first, *rest]
    elif matching := [path for path in holding if path.rsplit("/", 1)[-1] == first]:
        if len(matching) > 1:
            raise BadInput(
                f"{element.name} has several: {', '.join(_named(element, path) for path in matching)}.",
                where=field,
                remedy="Name the one meant.",
            )
        parts = [*matching[0].split("/"), *rest]
    else:
        return find_path(element, field)
    if len(parts) > 1 and isinstance(owned := getattr(element, parts[0]), tuple):
        parts[1] = str(_position(owned, parts[1], element.name))
    path = "/".join(parts)
    if path not in holding and not any(path.startswith(f"{held}/") for held in holding) and len(parts) == 1:
        return find_path(element, field)
    return path


def _position(parts: tuple[Any, ...], name: str, where: str) -> int:
    """Position of a part by its name or its number."""
    names = [str(getattr(part, "name", "")).casefold() for part in parts]
    if name.casefold() in names:
        return names.index(name.casefold())
    if name.isdigit() and int(name) < len(parts):
        return int(name)
    raise UnknownName(name, [n or str(i) for i, n in enumerate(names)], kind="part", where=where)


def _named(element: Element, path: str) -> str:
    """A path in words, with names of parts."""
    parts = path.split("/")
    for number, part in enumerate(parts):
        if part.isdigit():
            parts[number] = getattr(value_at(element, "/".join(parts[: number + 1])), "name", "") or part
            return ".".join([*parts[: number + 1], *parts[number + 1 :]])
    return ".".join(parts)


def assign(
    study: Study, key: str, values: Mapping[str, str], *, condition: str = "", by: str = "", at: str = ""
) -> Study:
    """Choose methods and type values of an element, in one condition or in all.

    A method is chosen together with the values of its parameters; required ones must be among them. The word `CLEARED`
    clears a typed value.
    """
    stamp = {"by": by, "at": at}
    element = _element(study, key, condition)
    kinds = dict(method_paths(element))
    made = [field for field in values if element.with_room_for(field) is not element]
    given = {f if f in made else address(element, f): (f, text) for f, text in values.items()}
    chosen = {path: text for path, (_, text) in given.items() if path in kinds}
    for path, tag in chosen.items():
        beneath = {p: given[p] for p in given if p.startswith(f"{path}/")}
        method = _method(kinds[path], path, tag, beneath, element.name, stamp)
        study = edits.choose(study, key, path, method, condition=condition, by=by, at=at)
    for path, (_, text) in given.items():
        if path in chosen or any(path.startswith(f"{held}/") for held in chosen):
            continue
        if path in made and text.strip() != CLEARED:
            study = edits.type_values(study, [(key, path, text)], condition=condition, by=by, at=at)
            continue
        owner = _element(study, key, condition)
        words = options_at(owner, path)
        if words is not None:
            study = edits.choose(study, key, path, words.word(text), condition=condition, by=by, at=at)
            continue
        cleared = text.strip() == CLEARED and isinstance(value_at(owner, path), Setting)
        study = edits.type_values(study, [(key, path, None if cleared else text)], condition=condition, by=by, at=at)
    return study


def _element(study: Study, key: str, condition: str) -> Element:
    if not condition:
        return study.all_elements[key]
    there = resolve(study, study.condition_of(condition)).elements
    return there.get(key, study.all_elements[key])


def _method(
    kind: type[Method],
    path: str,
    tag: str,
    beneath: Mapping[str, tuple[str, str]],
    owner: str,
    stamp: Mapping[str, str],
) -> Method:
    """A method of a kind by its tag, with its given parameters."""
    model = kind.of_tag(tag)
    texts = {full.removeprefix(f"{path}/"): text for full, (_, text) in beneath.items()}
    where = f"{owner}, {model.title}"
    fields: dict[str, Any] = {}
    for name, text in texts.items():
        first, _, rest = name.partition("/")
        field = model.model_fields.get(first)
        within = None if field is None else kind_of(field)
        if within is None:
            fields[name] = _held_in(model, name, text, where, stamp)
        elif not rest:
            held = {full: pair for full, pair in beneath.items() if full.startswith(f"{path}/{first}/")}
            fields[first] = _method(within, f"{path}/{first}", text, held, where, stamp)
        elif first not in texts:
            raise BadInput(
                f"the {within.kind} of its {first} is not said.",
                where=where,
                remedy=f"Add {first}=… before its values.",
            )
    refuse_lacking(model, fields, f"the {kind.kind} “{model.title}”", owner, f"{path.rsplit('/', 1)[-1]}.")
    return checked(lambda: model(**fields), where)


def new_method(kind: type[Method], tag: str, values: Mapping[str, str], where: str) -> Method:
    """A method of a kind by its tag, with its parameters in words; those of a method within it are not given."""
    given = {name: (name, text) for name, text in values.items()}
    return _method(kind, "", tag, {f"/{name}": pair for name, pair in given.items()}, where, {})


def new_element(tag: str, name: str, values: Mapping[str, str]) -> tuple[Element, dict[str, str]]:
    """An element of a kind with its required values, and the other values still to be set."""
    model = Element.of_tag(tag)
    needed = [field for field, known in model.model_fields.items() if known.is_required() and field != "name"]
    fields = {field: _held_in(model, field, values[field], name, {}) for field in needed if field in values}
    refuse_lacking(model, {**fields, "name": name}, f"the {tag} {name}", name)
    made = checked(lambda: model(name=name, **fields), name)
    return made, {field: text for field, text in values.items() if field not in fields}


def refuse_lacking(model: type[Model], fields: Mapping[str, Any], what: str, where: str, prefix: str = "") -> None:
    """Raise `BadInput` if a required field of a model is not given."""
    lacking = [name for name, known in model.model_fields.items() if known.is_required() and name not in fields]
    if lacking:
        wanted = " ".join(f"{prefix}{name}=…" for name in lacking)
        needs = " and ".join(name.replace("_", " ") for name in lacking)
        raise BadInput(f"{what} needs its {needs}.", where=where, remedy=f"Add {wanted}.")


def _held_in(model: type[Model], name: str, text: str, where: str, stamp: Mapping[str, str]) -> Any:
    """A value from text, in the form of a field of a model; a list of quantities has commas."""
    known = model.model_fields.get(name)
    if known is None:
        raise UnknownName(name, model.model_fields, kind="field", where=where)
    description = description_of(known)
    if description is None:
        words = options_of(known)
        return text if words is None else words.word(text)
    several = get_origin(known.annotation) is tuple
    numbers = units.listed(text, description.kind) if several else [units.parse(text, description.kind)]
    return tuple(numbers) if several else _as_held(known.annotation, numbers[0], stamp)


def _as_held(annotation: Any, number: float, stamp: Mapping[str, str]) -> Any:
    """A number in the form of a field: a typed setting, or the number itself."""
    if isinstance(annotation, type) and issubclass(annotation, Setting):
        return annotation(typed=Typed[Any](value=number, **stamp))
    return number
