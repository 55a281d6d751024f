"""Parts of an element that come in any number: surfaces, storage, devices."""

from __future__ import annotations

from typing import Any

from tarnwater.errors import UnknownName
from tarnwater.frozen import FrozenDict
from tarnwater.parameters import Model
from tarnwater.study.document import Study, changed
from tarnwater.study.document.fields import value_at
from tarnwater.study.edits.act import edit, in_words
from tarnwater.study.edits.replacing import owner_in, with_condition
from tarnwater.study.edits.values import choose


def called(part: Any) -> str:
    """A part in words: its name, or what it is."""
    return str(getattr(part, "name", "") or getattr(part, "title", "") or "a part")


def _adding(study: Study, element: str, part: Model, condition: str = "", **_: Any) -> str:
    where = f" in {in_words(study, condition)}" if condition else ""
    return f"add {called(part)} to {in_words(study, element)}{where}"


@edit(_adding)
def add_part(
    study: Study,
    element: str,
    field: str,
    part: Model,
    *,
    condition: str = "",
    by: str = "",
    at: str = "",
    note: str = "",
) -> Study:
    """Add a part at the end of a field that holds several, in all conditions or in one."""
    parts = _parts(study, element, field, condition)
    return choose(study, element, field, (*parts, part), condition=condition, by=by, at=at, note=note)


def _removing(study: Study, element: str, field: str, condition: str = "", **_: Any) -> str:
    where = f" in {in_words(study, condition)}" if condition else ""
    part = value_at(owner_in(study, element, condition), field)
    return f"remove {called(part)} of {in_words(study, element)}{where}"


@edit(_removing)
def remove_part(
    study: Study, element: str, field: str, *, condition: str = "", by: str = "", at: str = "", note: str = ""
) -> Study:
    """Remove the part at a path such as ``devices/1``, in all conditions or in one.

    What conditions have typed of the other parts stays with them.
    """
    holder, _, place = field.rpartition("/")
    parts = _parts(study, element, holder, condition)
    if not place.isdigit() or int(place) >= len(parts):
        raise UnknownName(place, [str(number) for number in range(len(parts))], kind="position", where=field)
    gone = int(place)
    study = _without_settings(study, element, holder, gone, condition)
    return choose(
        study, element, holder, (*parts[:gone], *parts[gone + 1 :]), condition=condition, by=by, at=at, note=note
    )


def _parts(study: Study, element: str, field: str, condition: str) -> tuple[Any, ...]:
    found = value_at(owner_in(study, element, condition), field)
    if not isinstance(found, tuple):
        raise UnknownName(field, [], kind="field with several parts", where=element)
    return found


def _without_settings(study: Study, element: str, holder: str, gone: int, condition: str) -> Study:
    """Settings of conditions after a part is gone: those of later parts move up.

    In one condition all of them are in the parts already, which it then holds as a whole.
    """
    before = f"{element}/{holder}/"
    only = study.condition_of(condition) if condition else ""
    for key, own in study.conditions.items():
        if only and key != only:
            continue
        kept = {}
        for path, value in own.settings.items():
            if not path.startswith(before):
                kept[path] = value
                continue
            number, _, rest = path.removeprefix(before).partition("/")
            place = int(number)
            if not only and place != gone:
                moved = place - 1 if place > gone else place
                kept[f"{before}{moved}/{rest}".rstrip("/")] = value
        if kept != dict(own.settings):
            study = with_condition(study, key, settings=FrozenDict(kept))
    return changed(study)
