"""Reckonings of the rain of a case."""

from __future__ import annotations

from functools import cached_property

from tarnwater.study.answers.storms import DesignStorm, StormByKey
from tarnwater.study.reckonings.case import CaseReckonings
from tarnwater.study.reckonings.storms import DesignReckonings, GivenReckonings, StormReckonings


class RainReckonings(CaseReckonings):
    """Adds the storm of one computed case to its reckonings."""

    @cached_property
    def storm(self) -> StormReckonings:
        """The reckonings of its storm."""
        storm = self.case.case.storm
        if isinstance(storm, DesignStorm):
            return DesignReckonings(self, storm)
        if isinstance(storm, StormByKey):
            return GivenReckonings(self, storm)
        raise NotImplementedError(f"no reckoning is written for a storm of {type(storm).__name__}")
