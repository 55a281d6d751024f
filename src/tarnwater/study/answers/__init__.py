"""Answers: cases and their results, and how they are computed."""

from tarnwater.study.answers.case import Case, CaseResult, Figures
from tarnwater.study.answers.computing import LONGEST_RUN, RunMemo, compute_cases, points_of, step_of
from tarnwater.study.answers.results import ROUNDING, Answer, Results, Verdict, Withheld, keeps, points_in

__all__ = [
    "LONGEST_RUN",
    "ROUNDING",
    "Answer",
    "Case",
    "CaseResult",
    "Figures",
    "Results",
    "RunMemo",
    "Verdict",
    "Withheld",
    "compute_cases",
    "keeps",
    "points_in",
    "points_of",
    "step_of",
]
