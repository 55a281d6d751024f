"""The decorator of edits, which gives each act its label."""

from __future__ import annotations

import functools
import inspect
from collections.abc import Callable
from string import Formatter
from typing import Any, TypeVar

from tarnwater.errors import TarnwaterError
from tarnwater.study.document import Study

F = TypeVar("F", bound=Callable[..., Study])


def edit(template: str | Callable[..., str]) -> Callable[[F], F]:
    """Mark a function as an edit.

    ``template`` has its arguments in braces, or is a function that makes the label from them.
    """

    def mark(function: F) -> F:
        signature = inspect.signature(function)

        @functools.wraps(function)
        def run(study: Study, *args: Any, **kwargs: Any) -> Study:
            try:
                return function(study, *args, **kwargs)
            except TarnwaterError as error:
                error.in_units(study.units)
                raise

        def label(study: Study, *args: Any, **kwargs: Any) -> str:
            bound = signature.bind(study, *args, **kwargs)
            bound.apply_defaults()
            if not isinstance(template, str):
                return template(**bound.arguments)
            named = {field for _, field, _, _ in Formatter().parse(template) if field}
            # the label is already in words, which may contain units with a stroke
            words = {n: v if n == "act" else in_words(study, v) for n, v in bound.arguments.items() if n in named}
            words["count"] = str(len(bound.arguments.get("values", ())))
            return template.format_map(words)

        run.label = label  # type: ignore[attr-defined]
        return run  # type: ignore[return-value]

    return mark


def in_words(study: Study, value: Any) -> str:
    """An argument of an edit for its label: an element by its name, a field by its last part."""
    if isinstance(value, str):
        return study.name_of(value) if value in study.all_elements else value.replace("_", " ").split("/")[-1]
    return str(getattr(value, "name", value))
