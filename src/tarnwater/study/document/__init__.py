"""The document: what a study holds, and the one door through which it changes."""

from tarnwater.study.document.land import FoundDepression, FoundFill, FoundVoid, Outlet, Terrain
from tarnwater.study.document.parts import STEPS, Acceptance, Condition, DesignPoint, Limit, RunSettings, Series
from tarnwater.study.document.study import (
    BASE_CONDITION,
    FORMAT,
    STEP_SHARE,
    Study,
    changed,
    checked,
    proposed_step,
    study_from,
)

__all__ = [
    "BASE_CONDITION",
    "FORMAT",
    "STEPS",
    "STEP_SHARE",
    "Acceptance",
    "Condition",
    "DesignPoint",
    "FoundDepression",
    "FoundFill",
    "FoundVoid",
    "Limit",
    "Outlet",
    "RunSettings",
    "Series",
    "Study",
    "Terrain",
    "changed",
    "checked",
    "proposed_step",
    "study_from",
]
