"""One case computed again in a changed study, to compare it with what it was."""

from __future__ import annotations

from dataclasses import dataclass

from tarnwater.errors import ComputationFailed
from tarnwater.progress import Progress
from tarnwater.study.answers.case import Case, CaseResult
from tarnwater.study.answers.computing import compute_cases
from tarnwater.study.answers.storms import DesignStorm
from tarnwater.study.document import Study


def computed_again(study: Study, case: Case, progress: Progress | None = None) -> CaseResult:
    """The case of the same condition, design point and storm in another study.

    Raises `ComputationFailed` with the reason where it is withheld there.
    """
    storm = case.storm
    if isinstance(storm, DesignStorm):
        results = compute_cases(
            study, conditions=[case.condition], points=[case.point], families=[storm.key],
            return_periods=[storm.return_period], durations=[storm.duration], progress=progress,
        )  # fmt: skip
    else:
        results = compute_cases(
            study, conditions=[case.condition], points=[case.point], storms=[storm.key], progress=progress
        )
    found = [one for one in results.cases if one.case.storm.mark == storm.mark and one.case.start == case.start]
    if not found:
        reasons = dict.fromkeys(one.reason for one in results.withheld) or {"it is no case any more.": None}
        raise ComputationFailed(" ".join(reasons), where=study.name_of(case.point))
    return found[0]


@dataclass(frozen=True)
class Comparison:
    """Figures of an element in one case and in another: peaks m3/s, times s, volumes m3."""

    peaks: tuple[float, float]
    times: tuple[float, float]
    volumes: tuple[float, float]

    @classmethod
    def of(cls, one: CaseResult, other: CaseResult, key: str) -> Comparison:
        """The figures of an element in two cases."""
        peaks = one.peak(key), other.peak(key)
        volumes = one.figures(key).volume, other.figures(key).volume
        return cls((peaks[0].ordinate, peaks[1].ordinate), (peaks[0].time, peaks[1].time), volumes)

    @property
    def change(self) -> float | None:
        """Change of the peak as a share of the first; None where that is zero."""
        return None if self.peaks[0] == 0 else self.peaks[1] / self.peaks[0] - 1
