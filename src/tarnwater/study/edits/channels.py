"""Edits of channels, pipes and culverts that are designed."""

from __future__ import annotations

from typing import Any, Literal

from tarnwater.errors import UnknownName
from tarnwater.frozen import FrozenDict
from tarnwater.parameters import Setting, Typed
from tarnwater.study.document import Study, changed, checked
from tarnwater.study.document.fields import description_at, value_at, with_value
from tarnwater.study.document.works import ChannelWorks, CulvertWorks
from tarnwater.study.edits.act import edit
from tarnwater.study.edits.names import slug

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
