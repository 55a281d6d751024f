"""Undo, redo and named points over immutable studies."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass, field
from functools import cached_property
from typing import Any, Protocol

from tarnwater.errors import UnknownName
from tarnwater.study.document import Study
from tarnwater.study.document.changes import Change, changes_between


class Act(Protocol):
    """One act that can be undone and redone."""

    @property
    def label(self) -> str:
        """What it is called."""

    def undone(self, after: Study) -> Study:
        """The study before the act, from the one after it."""

    def redone(self, before: Study) -> Study:
        """The study after the act, from the one before it."""


@dataclass(frozen=True)
class Step:
    """One act since the study was opened: its label, and the study before and after it."""

    label: str
    before: Study
    after: Study

    def undone(self, after: Study) -> Study:
        """The study before it."""
        return self.before

    def redone(self, before: Study) -> Study:
        """The study after it."""
        return self.after


class NamedPoint:
    """A saved state of the study with its name, comment and time; its study is read when needed."""

    def __init__(self, name: str, comment: str, at: str, study: Study | Callable[[], Study]) -> None:
        self.name, self.comment, self.at = name, comment, at
        self._study = study

    @cached_property
    def study(self) -> Study:
        """The saved study; `StudyFileError` if it is damaged."""
        return self._study if isinstance(self._study, Study) else self._study()


@dataclass
class History:
    """The present study, with undo and redo.

    ``committed`` is called with every new study before it becomes the present one; if it raises (a full disk), nothing
    changes.
    """

    study: Study
    committed: Callable[[str, Study, Study], None] | None = None
    past: list[Act] = field(default_factory=list)
    future: list[Act] = field(default_factory=list)
    points: dict[str, NamedPoint] = field(default_factory=dict)

    def do(self, edit: Callable[..., Study], *args: Any, **kwargs: Any) -> Study:
        """Make an edit. An edit that changes nothing makes no step."""
        return self.publish(*self.made(edit, *args, **kwargs))

    def made(self, edit: Callable[..., Study], *args: Any, **kwargs: Any) -> tuple[str, Study]:
        """Label and result of an edit on the present study, without making it the present one."""
        label = edit.label(self.study, *args, **kwargs) if hasattr(edit, "label") else edit.__name__
        return label, edit(self.study, *args, **kwargs)

    def publish(self, label: str, study: Study) -> Study:
        """Make a study the present one, as one step under a label."""
        if study == self.study:
            return self.study
        self._commit(label, study)
        self.past.append(Step(label, self.study, study))
        self.future.clear()
        self.study = study
        return study

    def undo(self) -> Study:
        """Undo one step; no effect at the beginning."""
        if self.past:
            act, after = self.past[-1], self.study
            before = act.undone(after)
            self._commit(f"undo: {act.label}", before)
            self.past.pop()
            self.future.append(Step(act.label, before, after))
            self.study = before
        return self.study

    def redo(self) -> Study:
        """Redo one step; no effect at the end."""
        if self.future:
            act, before = self.future[-1], self.study
            after = act.redone(before)
            self._commit(f"redo: {act.label}", after)
            self.future.pop()
            self.past.append(Step(act.label, before, after))
            self.study = after
        return self.study

    def take_in(self, study: Study, acts: Sequence[Act]) -> None:
        """Make a study that was saved by another program the present one; its acts can be undone here."""
        self.past.extend(acts)
        self.future.clear()
        self.study = study

    def keep(self, name: str, *, comment: str = "", at: str = "") -> NamedPoint:
        """Save the present study under a name; a point of that name is replaced."""
        point = self.points[name] = NamedPoint(name, comment, at, self.study)
        return point

    def point(self, name: str) -> NamedPoint:
        """The point of a name; `UnknownName` with the nearest."""
        if name not in self.points:
            raise UnknownName(name, self.points, kind="named point")
        return self.points[name]

    def restore(self, name: str) -> Study:
        """Make a named point the present study, as one step."""
        return self.publish(f"restore “{name}”", self.point(name).study)

    def compare(self, one: str, other: str) -> list[Change]:
        """Differences of two named points: path, value in the first, value in the second."""
        return changes_between(self.point(one).study.as_dict(), self.point(other).study.as_dict())

    def _commit(self, label: str, study: Study) -> None:
        if self.committed is not None:
            self.committed(label, self.study, study)
