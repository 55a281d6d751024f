"""Edits of ponds and other elements with parts, from text of the command line."""

from __future__ import annotations

from collections.abc import Mapping

from tarnwater.errors import UnknownName
from tarnwater.methods import kind_within
from tarnwater.network.elements import Pond
from tarnwater.study.document import Study
from tarnwater.study.edits.act import edit
from tarnwater.study.edits.assignments import address, new_method
from tarnwater.study.edits.in_conditions import lead_through_in
from tarnwater.study.edits.names import slug, unused_name
from tarnwater.study.edits.network import lead_through
from tarnwater.study.edits.parts import add_part, remove_part
from tarnwater.study.edits.replacing import owner_in


@edit("add {tag} to {name}")
def add_part_by_numbers(
    study: Study,
    name: str,
    field: str,
    tag: str,
    values: Mapping[str, str],
    *,
    condition: str = "",
    by: str = "",
    at: str = "",
) -> Study:
    """Add a part of a form, with values in words, to an element by its name."""
    key = study.key_of(name)
    owner = owner_in(study, key, condition)
    kind = kind_within(type(owner).model_fields[field]) if field in owner.parts else None
    if kind is None:
        raise UnknownName(field, owner.parts, kind="field with several parts", where=owner.name)
    part = new_method(kind, tag, values, owner.name)
    placed = owner.fitted_in(field, part)
    given = {one: getattr(part, one) for one in values}
    return add_part(study, key, field, placed.model_copy(update=given), condition=condition, by=by, at=at)


@edit("remove {part} of {name}")
def remove_part_by_numbers(
    study: Study, name: str, part: str, *, condition: str = "", by: str = "", at: str = ""
) -> Study:
    """Remove a part of an element by its name, such as ``devices.weir``."""
    key = study.key_of(name)
    return remove_part(study, key, address(owner_in(study, key, condition), part), condition=condition, by=by, at=at)


@edit("put {pond} below {name}")
def put_pond_by_numbers(study: Study, name: str, pond: str = "", *, condition: str = "") -> Study:
    """Put a pond into the link below an element by its name; a link that takes it stays one way."""
    key, made = study.key_of(name), Pond(name=pond or unused_name(study, "Pond"))
    if condition:
        new = slug(made.name, study.all_elements)
        return lead_through_in(study, study.condition_of(condition), key, made, new)
    return lead_through(study, key, made)
