"""Edits of channels, pipes and culverts that are designed."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any, Literal

from tarnwater.errors import UnknownName
from tarnwater.frozen import FrozenDict
from tarnwater.methods import kind_of
from tarnwater.parameters import Setting, Typed
from tarnwater.study.document import Study, changed, checked
from tarnwater.study.document.fields import description_at, quantities_in, value_at, with_value
from tarnwater.study.document.works import ChannelWorks, CulvertWorks
from tarnwater.study.edits.act import edit
from tarnwater.study.edits.names import slug
from tarnwater.units import parse

#: Field of the document that holds works of a kind.
Kind = Literal["channels", "culverts"]

AnyWorks = ChannelWorks | CulvertWorks


def works_of(study: Study, kind: Kind, key: str) -> AnyWorks:
    """Works by their key; `UnknownName` where there are none."""
    held: FrozenDict[Any] = getattr(study, kind)
    if key not in held:
        raise UnknownName(key, held, kind=kind.removesuffix("s"))
    found: AnyWorks = held[key]
    return found


def _adding(study: Study, kind: Kind, works: AnyWorks, **_: Any) -> str:
    return f"add {kind.removesuffix('s')} {works.name}"


@edit("set {kind} {name}")
def works_by_name(
    study: Study, kind: Kind, name: str, given: Mapping[str, str], *, by: str = "", at: str = "", note: str = ""
) -> Study:
    """Set fields of a channel or a culvert by its name and by texts; one that is not there is added.

    ``element`` is given by its name.
    """
    held: FrozenDict[Any] = getattr(study, kind)
    key = next((k for k, one in held.items() if name in (k, one.name)), "")
    if not key:
        model = ChannelWorks if kind == "channels" else CulvertWorks
        study = add_works(study, kind, checked(lambda: model(name=name), name))
        key = next(reversed(list(getattr(study, kind))))
    named = {field: study.key_of(text) if field == "element" and text else text for field, text in given.items()}
    values = values_by_text(works_of(study, kind, key), named)
    return set_works(study, kind, key, values, by=by, at=at, note=note) if values else study


@edit(_adding)
def add_works(study: Study, kind: Kind, works: AnyWorks) -> Study:
    """Add a channel or a culvert; its key follows from its name."""
    held: FrozenDict[Any] = getattr(study, kind)
    return changed(study, **{kind: held.with_entry(slug(works.name, held), works)})


def _removing(study: Study, kind: Kind, key: str, **_: Any) -> str:
    return f"remove {kind.removesuffix('s')} {works_of(study, kind, key).name}"


@edit(_removing)
def remove_works(study: Study, kind: Kind, key: str) -> Study:
    """Remove a channel or a culvert."""
    works_of(study, kind, key)
    return changed(study, **{kind: {k: one for k, one in getattr(study, kind).items() if k != key}})


def values_by_text(works: AnyWorks, given: Mapping[str, str]) -> tuple[tuple[str, Any], ...]:
    """Fields of works by their paths (parted by points or strokes), with what texts say: numbers, words, forms.

    A name of the section or the barrel may stand without it. Raises `UnknownName` for a field, and what a text is
    refused for.
    """
    found: list[tuple[str, Any]] = []
    for name, text in given.items():
        path = name.replace(".", "/")
        described = _description(works, path)
        if described is not None:
            path, kind = described
            number = None if text in ("", "derived") else parse(text, kind)
            found.append((path, int(number) if number is not None and kind == "count" else number))
            continue
        kind_of_method = kind_of(type(works).model_fields[path]) if path in type(works).model_fields else None
        if kind_of_method is not None:
            found.append((path, kind_of_method.of_tag(text)()))
        elif path in type(works).model_fields or path.split("/")[0] in ("section", "barrel"):
            found.append((path, text))
        else:
            known = [path for path, _, _ in quantities_in(works)] + list(type(works).model_fields)
            raise UnknownName(name, known, kind="field", where=works.name)
    return tuple(found)


def _description(works: AnyWorks, path: str) -> tuple[str, str] | None:
    """The path of a quantity, also by its last name alone, with its kind; None for what is no quantity."""
    for own, described, _ in quantities_in(works):
        if own == path or ("/" not in path and own.rsplit("/", 1)[-1] == path):
            return own, described.kind
    return None


def _setting(study: Study, kind: Kind, key: str, values: tuple[tuple[str, Any], ...], **_: Any) -> str:
    works = works_of(study, kind, key)
    names = []
    for path, _value in values:
        described = description_at(works, path)
        names.append(path.rsplit("/", 1)[-1].replace("_", " ") if described is None else described.label)
    return f"set {' and '.join(names)} of {works.name}"


@edit(_setting)
def set_works(
    study: Study, kind: Kind, key: str, values: tuple[tuple[str, Any], ...], *, by: str = "", at: str = "",
    note: str = "",
) -> Study:  # fmt: skip
    """Set fields of a channel or a culvert by their paths: numbers in the base unit, words, or a method.

    A value that may be derived is cleared by None. Raises what the model refuses, with the name of the works.
    """
    works: Any = works_of(study, kind, key)
    for path, value in values:
        held = value_at(works, path)
        new = value
        if isinstance(held, Setting) and not isinstance(value, Setting):
            new = held.model_copy(
                update={"typed": None if value is None else Typed[Any](value=value, by=by, at=at, note=note)}
            )
        works = checked(lambda works=works, path=path, new=new: with_value(works, path, new), works.name)  # type: ignore[misc]
    return changed(study, **{kind: getattr(study, kind).with_entry(key, works)})
