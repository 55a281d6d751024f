"""The document: the content of a study, and the function through which every change goes."""

from tarnwater.study.document.land import (
    BREACHING,
    FILLING,
    ClosedLand,
    FoundDepression,
    FoundFill,
    FoundVoid,
    GroundChange,
    Outlet,
    Terrain,
)
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
    "BREACHING",
    "FILLING",
    "FORMAT",
    "STEPS",
    "STEP_SHARE",
    "Acceptance",
    "ClosedLand",
    "Condition",
    "DesignPoint",
    "FoundDepression",
    "FoundFill",
    "FoundVoid",
    "GroundChange",
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
