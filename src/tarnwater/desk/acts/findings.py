"""Stops, doubts and notes: listed, visited, accepted, mended."""

from __future__ import annotations

from functools import partial
from typing import TYPE_CHECKING, cast

from PyQt6.QtWidgets import QInputDialog, QListWidget, QPushButton

from tarnwater.desk.acts.room import Room
from tarnwater.desk.ledger import WIDTH
from tarnwater.desk.theme import desk_font
from tarnwater.desk.widgets.finder import Entry
from tarnwater.study.checks.acceptance import accept as accept_doubt
from tarnwater.study.checks.acceptance import doubt_again
from tarnwater.study.checks.findings import Finding, Remedy, counted
from tarnwater.study.checks.mending import acting, mend, named

if TYPE_CHECKING:
    from tarnwater.desk.benches.ground import GroundBench


class Findings:
    """The list of findings, its count, the current finding, and the commands on it."""

    def __init__(self, room: Room) -> None:
        self._room, self._desk = room, room.desk
        self._finding, self._step = -1, 0
        self._gone_to: tuple[str, ...] = ()
        self._told: list[str] = []
        self._make()

    def _make(self) -> None:
        self.found = QListWidget()
        self.found.setAccessibleName("Stops, doubts and notes")
        self.found.setFont(desk_font(8.5))
        self.found.setWordWrap(True)
        self.found.setFixedWidth(WIDTH - 8)
        self.found.setMaximumHeight(230)
        self.found.hide()
        self.counts = QPushButton()
        self.counts.setAccessibleName("Stops and doubts")
        self.counts.setProperty("flat", True)
        self.counts.setFont(desk_font(9, bold=True))
        self.counts.clicked.connect(lambda: self.found.setVisible(self.found.isHidden()))
        self.found.itemActivated.connect(lambda _: self.go_to(self.found.currentRow()))
        self.found.itemClicked.connect(lambda _: self.go_to(self.found.currentRow()))

    def refresh(self) -> None:
        """Show the present findings, and how many there are."""
        study = self._desk.study
        told = [finding.told(study) for finding in self._desk.findings]
        if told != self._told:
            self._told = told
            self.found.clear()
            self.found.addItems(told)
            present = self._finding_gone_to()
            if present is not None:
                self.found.setCurrentRow(self._desk.findings.index(present))
        words = counted(self._desk.findings)
        self.counts.setText(" · ".join(words) + "   F8" if words else "No problems found")
        self.counts.setEnabled(bool(words))
        if not words:
            self.found.hide()

    def walk(self, step: int) -> None:
        """Go to the next or the previous finding."""
        findings = self._desk.findings
        if findings:
            present = self._finding_gone_to()
            if present is None:
                # the current finding is resolved; the next one has taken its place
                number = self._finding if step > 0 and self._gone_to else self._finding + step
            else:
                number = findings.index(present) + step
            self.go_to(number % len(findings))

    def _finding_gone_to(self) -> Finding | None:
        """The current finding, as it is now; None where it is settled."""
        return next((one for one in self._desk.findings if one.key == self._gone_to), None)

    def go_to(self, number: int) -> None:
        """Go to a finding by its place in the list."""
        if 0 <= number < len(self._desk.findings):
            # among grouped ones, go to the next one each time
            finding = self._desk.findings[number]
            self._step = self._step + 1 if finding.key == self._gone_to else 0
            self._finding, self._gone_to = number, finding.key
            self._room.show_actions()
            self.found.show()
            self.found.setCurrentRow(number)
            self._go_to_place(finding.walked(self._step))

    def _go_to_place(self, finding: Finding) -> None:
        """Go to where a finding is resolved: its element, its field, its place on the map, or its bench."""
        if finding.element:
            self._desk.select(finding.element)
        elif finding.field.split("/")[0] in ("tables", "families", "storms"):
            self._room.go_to_bench("Rain")
        if finding.at is not None:
            self._room.go_to_bench("Ground")
            cast("GroundBench", self._room.bench).canvas.lead_to(*finding.at)
        elif finding.field:
            self._room.ledger.go_to(finding.field)

    def accept(self) -> None:
        """Accept the current doubt for a reason, or withdraw its acceptance."""
        desk, finding = self._desk, self._finding_gone_to()
        if finding is None:
            self._room.say("Go to a doubt with F8 first; that doubt is then accepted.")
            return
        if finding.severity == "accepted":
            desk.do(doubt_again, finding, f"withdraw the acceptance of {finding.code}")
            return
        if finding.severity != "doubt":
            self._room.say("Go to a doubt with F8 first; only doubts can be accepted.")
            return
        reason, taken = QInputDialog.getText(
            self._room.widget, "Accept the doubt", f"{finding.told(desk.study)}\n\nReason"
        )
        if taken:
            desk.do(accept_doubt, finding, reason, f"accept the doubt {finding.code}", **_without_note(desk.stamp()))

    def remedies(self) -> list[Remedy]:
        """Remedies of the current finding that can be applied."""
        finding = self._finding_gone_to()
        return [] if finding is None else acting(finding.walked(self._step))

    def apply_remedy(self) -> None:
        """Apply the remedy of the current finding; of several the person chooses one."""
        offered = self.remedies()
        if len(offered) == 1:
            self._apply(offered[0])
        elif offered:
            entries = [Entry(remedy.text, "remedy", partial(self._apply, remedy)) for remedy in offered]
            self._room.offer(entries, "Which remedy …")
        else:
            self._room.say("Go to a stop or a doubt with F8 first; where its remedy is an edit, this applies it.")

    def _apply(self, remedy: Remedy) -> None:
        finding = self._finding_gone_to()
        if finding is not None:
            one = finding.walked(self._step)
            if self._desk.do(mend, one, remedy, named(self._desk.study, remedy, one)):
                self._room.say(f"Done: {remedy.text}")


def _without_note(stamp: dict[str, str]) -> dict[str, str]:
    """Who and when, without the note."""
    return {name: stamp[name] for name in ("by", "at")}
