"""Commands of a window beyond editing a value in place."""

from __future__ import annotations

from tarnwater.desk.acts.asking import Asking
from tarnwater.desk.acts.elements import ElementActs
from tarnwater.desk.acts.findings import Findings
from tarnwater.desk.acts.places import Places
from tarnwater.desk.acts.room import Room
from tarnwater.desk.acts.studies import StudyActs

__all__ = ["Acts", "Room"]


class Acts:
    """All acts in one window."""

    def __init__(self, room: Room) -> None:
        self.room, self.desk = room, room.desk
        self.findings = Findings(room)
        self.elements = ElementActs(room)
        self.asking = Asking(room, self.elements)
        self.studies = StudyActs(room)
        self.places = Places(room)
