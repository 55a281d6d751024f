"""Asks for what a method or an element requires before it is made."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any, get_origin

from pydantic import BaseModel
from PyQt6.QtWidgets import QInputDialog, QWidget

from tarnwater import units
from tarnwater.errors import TarnwaterError
from tarnwater.parameters import Description, Options, description_of, options_of
from tarnwater.study.document import Study
from tarnwater.study.document.entry_units import entry_unit


def needed_of(model: type[BaseModel]) -> list[tuple[str, Description]]:
    """Names and descriptions of the quantities that a model requires: those without a default."""
    needed = ((name, description_of(field)) for name, field in model.model_fields.items() if field.is_required())
    return [(name, described) for name, described in needed if described is not None]


def texts_needed_of(model: type[BaseModel]) -> list[tuple[str, Options]]:
    """Names and words of the texts that a model requires."""
    needed = ((name, options_of(field)) for name, field in model.model_fields.items() if field.is_required())
    return [(name, words) for name, words in needed if words is not None]


def ask_needed(
    parent: QWidget, study: Study, model: type[BaseModel], title: str, owner: str, tell: Callable[[str], None]
) -> dict[str, Any] | None:
    """Ask for what a model requires; None where the person cancels or types something that is refused.

    Texts are asked first. A list of quantities is typed with commas. A refusal is reported.
    """
    asked: dict[str, Any] = {}
    for name, needed in texts_needed_of(model):
        text, taken = QInputDialog.getText(parent, title, needed.meaning)
        if not taken:
            return None
        asked[name] = needed.word(text)
    for name, described in needed_of(model):
        unit = entry_unit(study, name, described.kind)
        several = get_origin(model.model_fields[name].annotation) is tuple
        words = f"{described.meaning}, {unit}" if unit else described.meaning
        words = f"{words}: a list with commas" if several else words
        text, taken = QInputDialog.getText(parent, title, words)
        if not taken:
            return None
        try:
            read = units.listed if several else units.parse
            found = read(text, described.kind, default=unit or None)
            numbers = tuple(found) if isinstance(found, list) else (found,)
            for number in numbers:
                described.check(number, f"{owner}, {name.replace('_', ' ')}")
        except TarnwaterError as error:
            tell(str(error))
            return None
        asked[name] = numbers if several else numbers[0]
    tell("")
    return asked
