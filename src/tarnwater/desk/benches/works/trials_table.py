"""The log of tried works: each with its outcome; any can be gone back to, one is adopted."""

from __future__ import annotations

from collections.abc import Sequence

from PyQt6.QtWidgets import QHBoxLayout, QInputDialog, QLineEdit, QPushButton, QVBoxLayout, QWidget

from tarnwater.brief.text_table import TextTable, words
from tarnwater.desk.desk import Desk
from tarnwater.desk.theme import Theme
from tarnwater.desk.widgets.labels import Words
from tarnwater.desk.widgets.text_grid import TextGrid
from tarnwater.network.elements import Pond
from tarnwater.plots import Role
from tarnwater.study.answers.pond_events import PondEvent
from tarnwater.study.answers.trials import WorksTrial, difference, outcome_of, trial_from, with_trial
from tarnwater.study.document.works import Adopted
from tarnwater.study.edits.works import adopt_works, release_works, take_works
from tarnwater.study.file import now

#: Name under which the log is kept with the study.
KEPT = "trials"


class TrialsTable(QWidget):
    """The trials of a pond in the condition in view; kept with the study, beside its acts."""

    def __init__(self, desk: Desk, theme: Theme) -> None:
        super().__init__()
        self.desk = desk
        self.key = ""
        kept = desk.file.kept_state(KEPT)
        plain = kept if isinstance(kept, list) else []
        self._all = [one for one in map(trial_from, plain) if one is not None]
        self.grid = TextGrid("Tried works", theme)
        self.grid.entered.connect(self.go_back)
        self.adopt = QPushButton("Adopt these works …")
        self.adopt.setAccessibleName("Adopt the works as they are")
        self.adopt.clicked.connect(self._adopt)
        self.release = QPushButton("Adopt none")
        self.release.setAccessibleName("Adopt no works")
        self.release.clicked.connect(self._release)
        self._hint = Words("Enter or a double click goes back to a trial.", quiet=True, size=8)
        row = QHBoxLayout()
        row.addWidget(self.adopt)
        row.addWidget(self.release)
        row.addWidget(self._hint)
        row.addStretch(1)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(2)
        column.addWidget(self.grid, 1)
        column.addLayout(row)

    @property
    def trials(self) -> list[WorksTrial]:
        """The trials of the pond in the condition in view, in the order in which they were made."""
        return [one for one in self._all if (one.pond, one.condition) == (self.key, self.desk.condition)]

    def log(self, key: str, pond: Pond, events: Sequence[PondEvent]) -> None:
        """Keep the works as they are with their outcome, unless they are only tried out or not computed yet."""
        self.key = key
        desk = self.desk
        settled = desk.trial is None and not desk.computing and desk.results is not None
        if not settled or not events or desk.results is None or desk.results.study is not desk.study:
            return
        told, keeps = outcome_of(desk.study, events)
        trial = WorksTrial(key, desk.condition, pond.storage, pond.devices, now(), told, keeps)
        after = with_trial(self._all, trial)
        if after != self._all:
            self._all = after
            desk.file.keep_state(KEPT, [one.as_plain() for one in after])

    @property
    def adopted(self) -> Adopted | None:
        """The works that are adopted in the condition in view."""
        return self.desk.study.adopted.get(f"{self.key}/{self.desk.condition}")

    def refresh(self) -> None:
        """Show the log, the latest first."""
        pond, own, adopted = self.desk.elements.get(self.key), self.trials, self.adopted
        self.release.setVisible(adopted is not None)
        if not isinstance(pond, Pond):
            return
        system = self.desk.study.units
        rows: list[tuple[str, ...]] = []
        roles: list[Role | None] = []
        for number, one in enumerate(own):
            what = "first works" if number == 0 else difference(own[number - 1], one, system) or "as before"
            marks = []
            if one.is_of(pond):
                marks.append("present")
            if adopted is not None and (adopted.storage, adopted.devices) == (one.storage, one.devices):
                marks.append(f"adopted: {adopted.name}")
            rows.append((str(number + 1), one.at[11:16], what, one.outcome, ", ".join(marks)))
            roles.append("water" if one.is_of(pond) else None if one.keeps else "limit")
        heads = ("trial", "at", "what was changed", "outcome", "")
        turned = list(zip(*rows[::-1], strict=True)) or [()] * len(heads)
        self.grid.show_table(
            TextTable(tuple(words(head, texts) for head, texts in zip(heads, turned, strict=True)), tuple(roles[::-1]))
        )

    def go_back(self, row: int) -> None:
        """Give the pond the works of a trial."""
        own = self.trials[::-1]
        if not 0 <= row < len(own):
            return
        one, desk = own[row], self.desk
        name = f"trial {len(own) - row}"
        desk.do(take_works, self.key, one.storage, one.devices, name, condition=desk.scope_of(self.key), **desk.stamp())

    def _adopt(self) -> None:
        """Ask for a name, and adopt the works as they are."""
        pond, desk = self.desk.elements.get(self.key), self.desk
        if not isinstance(pond, Pond):
            return
        present = next((one for one in self.trials if one.is_of(pond)), None)
        asked, line = "Name of the works to be built", QLineEdit.EchoMode.Normal
        name, taken = QInputDialog.getText(self, f"Adopt the works of {pond.name}", asked, line, "as designed")
        if taken and name.strip():
            outcome = "" if present is None else present.outcome
            desk.do(adopt_works, self.key, name.strip(), outcome, condition=desk.condition, **desk.stamp())

    def _release(self) -> None:
        self.desk.do(release_works, self.key, condition=self.desk.condition)
