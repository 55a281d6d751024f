"""Reckonings: `explain` builds the reckoning of any figure.

Flows come from the computed case; everything else is computed by the functions of the engine. ``settings`` covers
typed values, tables and the map, ``rain`` the storm, ``flows`` the hydrographs, ``figures`` the figures read from
them. To add a figure: write its function in ``figures`` and add it to `FIGURES`.
"""

from __future__ import annotations

from dataclasses import replace

from tarnwater.reckoning import Reckoning
from tarnwater.study.answers import CaseResult, Results
from tarnwater.study.document import Study
from tarnwater.study.document.conditions import resolve
from tarnwater.study.reckonings.figures import FIGURES
from tarnwater.study.reckonings.flows import Book
from tarnwater.study.reckonings.settings import SettingReckonings

__all__ = ["FIGURES", "explain", "explain_setting"]


def explain(study: Study, case: CaseResult, element: str, field: str, *, results: Results | None = None) -> Reckoning:
    """The reckoning of a figure of a computed case, or of a setting in its condition.

    ``field`` is one of `FIGURES` or the path of a field; `UnknownName` with the nearest otherwise.
    ``results`` are needed for a limit that is a share of another condition's answer.
    """
    book = Book(study, case, results)
    root = FIGURES[field](book, element) if field in FIGURES else book.setting(element, field, also=FIGURES)
    return replace(root, head=head_of(study, case))


def head_of(study: Study, case: CaseResult) -> str:
    """The head of a reckoning: condition, storm and the design point for which it is made."""
    own = case.case
    condition, maker = study.conditions[own.condition].name, own.storm.maker(study)
    words = own.storm.words(study)
    told = words if maker in words else f"{maker} · {words}"
    after = f" · after {study.storms[own.start].name}" if own.start else ""
    return f"{condition} · {told}{after} · made for {study.name_of(own.point)}"


def explain_setting(study: Study, condition: str, element: str, field: str) -> Reckoning:
    """The reckoning of a setting in a condition, without computing anything."""
    key = study.condition_of(condition)
    root = SettingReckonings(study, key, resolve(study, key)).setting(element, field)
    return replace(root, head=study.conditions[key].name)
