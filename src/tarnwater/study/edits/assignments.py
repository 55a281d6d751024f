"""Values and methods given as ``field=value``: what a field addresses, and what is made of its text."""

from __future__ import annotations

import re
from collections.abc import Iterator, Mapping
from typing import Any

from tarnwater import units
from tarnwater.errors import BadInput, UnknownName
from tarnwater.methods import Method, kind_of
from tarnwater.network.elements import Element
from tarnwater.parameters import Model, Setting, Typed, description_of
from tarnwater.study import edits
from tarnwater.study.document import Study, checked
from tarnwater.study.document.conditions import resolve
from tarnwater.study.document.fields import quantities_in, value_at


def method_paths(model: Any, prefix: str = "") -> Iterator[tuple[str, type[Method]]]:
    """Paths of the fields of an element that hold a method, with its kind."""
    if isinstance(model, tuple):
        for number, part in enumerate(model):
            yield from method_paths(part, f"{prefix}{number}/")
    elif isinstance(model, Model):
        for name, field in type(model).model_fields.items():
            kind = kind_of(field)
            if kind is not None:
                yield f"{prefix}{name}", kind
            else:
                yield from method_paths(getattr(model, name), f"{prefix}{name}/")


def find_path(element: Element, field: str) -> str:
    """The path of a quantity named by its path or its last name; `UnknownName` with the nearest."""
    paths = [path for path, _, _ in quantities_in(element)]
    if field in paths:
        return field
    matching = [p for p in paths if p.rsplit("/", 1)[-1] == field]
    if len(matching) > 1:
        raise BadInput(
            f"{element.name} has several: {', '.join(p.replace('/', '.') for p in matching)}.",
            where=field,
            remedy="Name the one meant by its path.",
        )
    if not matching:
        names = dict.fromkeys(p.rsplit("/", 1)[-1] for p in (*paths, *(path for path, _ in method_paths(element))))
        raise UnknownName(field, names, kind="field", where=element.name)
    return matching[0]


def address(element: Element, field: str) -> str:
    """The path that a field given in words addresses, as ``loss.curve_number`` or ``surfaces.yard.loss``.

    A part of an element is named by its name or its position; a field that holds a method may begin the address
    where there is one of its name. What lies beneath a method is not looked up: another may be chosen with it.
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
    """A path in words, its parts by their names."""
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

    A method is chosen with the values beneath it: what it cannot be without must be among them.
    """
    stamp = {"by": by, "at": at}
    element = _element(study, key, condition)
    kinds = dict(method_paths(element))
    given = {address(element, field): (field, text) for field, text in values.items()}
    chosen = {path: text for path, (_, text) in given.items() if path in kinds}
    for path, tag in chosen.items():
        beneath = {p: given[p] for p in given if p.startswith(f"{path}/")}
        method = _method(kinds[path], path, tag, beneath, element.name, stamp)
        study = edits.choose(study, key, path, method, condition=condition, by=by, at=at)
    for path, (_, text) in given.items():
        if path in chosen or any(path.startswith(f"{held}/") for held in chosen):
            continue
        study = edits.type_values(study, [(key, path, text)], condition=condition, by=by, at=at)
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
    """A method of a kind by its tag, with what was given beneath it."""
    model = kind.of_tag(tag)
    fields: dict[str, Any] = {}
    for full, (field, text) in beneath.items():
        name = full.removeprefix(f"{path}/")
        known = model.model_fields.get(name)
        if known is None:
            raise UnknownName(name, model.model_fields, kind="field", where=f"{owner}, {model.title}")
        description = description_of(known)
        if description is None:
            fields[name] = text
            continue
        number = units.parse(text, description.kind)
        description.check(number, f"{owner}, {field}")
        fields[name] = _as_held(known.annotation, number, stamp)
    lacking = [n for n, known in model.model_fields.items() if known.is_required() and n not in fields]
    if lacking:
        last = path.rsplit("/", 1)[-1]
        wanted = " ".join(f"{last}.{name}=…" for name in lacking)
        what = " and ".join(name.replace("_", " ") for name in lacking)
        raise BadInput(f"the {kind.kind} “{model.title}” needs its {what}.", where=owner, remedy=f"Add {wanted}")
    return checked(lambda: model(**fields), f"{owner}, {model.title}")


def _as_held(annotation: Any, number: float, stamp: Mapping[str, str]) -> Any:
    """A number as a field holds it: typed, or as it is."""
    if isinstance(annotation, type) and issubclass(annotation, Setting):
        return annotation(typed=Typed[Any](value=number, **stamp))
    return number
