"""Tables of quantities that belong together: levels with areas, times with flows."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Any

from tarnwater.errors import EditRefused
from tarnwater.study.document import Study
from tarnwater.study.document.conditions import resolve
from tarnwater.study.document.fields import value_at
from tarnwater.study.edits.act import edit, in_words
from tarnwater.study.edits.replacing import known_element, with_element_changed
from tarnwater.study.edits.values import choose


def _typing(study: Study, element: str, holder: str, **_: Any) -> str:
    return f"type the table of {in_words(study, element)}" + (f", {in_words(study, holder)}" if holder else "")


@edit(_typing)
def type_table(
    study: Study,
    element: str,
    holder: str,
    columns: Mapping[str, Sequence[float]],
    *,
    condition: str = "",
    by: str = "",
    at: str = "",
    note: str = "",
) -> Study:
    """Type the columns of a table, in base units, as one act: they are only right together.

    ``holder`` is the path of what has them, empty for the element itself. Raises `EditRefused`.
    """
    given = {name: tuple(float(value) for value in values) for name, values in columns.items()}
    if not holder:
        if condition:
            raise EditRefused(
                "this table is the same in all conditions.",
                where=study.name_of(element),
                remedy="Let edits apply to all conditions, or add another element in the condition.",
            )
        return with_element_changed(study, element, lambda old: _with(old, given).assigned(next(iter(given))))
    owner = known_element(study, element)
    if condition:
        owner = resolve(study, condition).elements.get(element) or owner
    method = _with(value_at(owner, holder), given)
    return choose(study, element, holder, method, condition=condition, by=by, at=at, note=note)


def _with(model: Any, given: Mapping[str, tuple[float, ...]]) -> Any:
    fields = {name: getattr(model, name) for name in type(model).model_fields}
    return type(model)(**{**fields, **given})
