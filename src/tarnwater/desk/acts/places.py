"""Targets of the finder: elements, their values, conditions, events and storms."""

from __future__ import annotations

from dataclasses import replace
from functools import partial

from tarnwater.desk.acts.room import Room
from tarnwater.desk.desk import View
from tarnwater.desk.widgets.finder import Entry
from tarnwater.study.answers.storms import Event, Storm, event_title, storm_title
from tarnwater.study.document.fields import quantities_in

#: Number of elements whose values the finder lists; with more it would open slowly.
MOST_WITH_VALUES = 300


class Places:
    """Places of the study that are found by name."""

    def __init__(self, room: Room) -> None:
        self._room, self._desk = room, room.desk

    def entries(self) -> list[Entry]:
        """Elements, their values, conditions, events and storms to go to."""
        desk = self._desk
        elements = [
            Entry(e.name, e.tag(), lambda k=k: desk.select(k))  # type: ignore[misc]
            for k, e in desk.study.all_elements.items()
        ]
        return elements + self._value_entries() + self._view_entries() + self._storm_entries()

    def _value_entries(self) -> list[Entry]:
        """Values of every element, by the names that the ledger gives them; those of the selected one first."""
        elements = self._desk.elements
        keys = sorted(elements, key=lambda key: key != self._desk.selection)
        return [
            Entry(
                described.name,
                f"of {elements[key].name}",
                lambda k=key, p=path: self._go_to_value(k, p),  # type: ignore[misc]
                by_beside=True,
            )
            for key in keys[:MOST_WITH_VALUES]
            for path, described, _ in quantities_in(elements[key])
        ]

    def _go_to_value(self, element: str, path: str) -> None:
        """Move the keyboard focus to a field of an element."""
        self._desk.select(element)
        self._room.ledger.go_to(path)

    def _view_entries(self) -> list[Entry]:
        """Conditions and events to put in view."""
        desk, view = self._desk, self._desk.view
        entries = [
            Entry(c.name, "condition", lambda k=k: desk.turn_scope_to(k))  # type: ignore[misc]
            for k, c in desk.study.conditions.items()
        ]
        events = [] if view is None or desk.results is None else desk.results.events_of(view.condition, view.point)
        for event in events:
            kind = "storm" if isinstance(event, str) else "return period"
            entries.append(Entry(event_title(desk.study, event), kind, partial(self._look_at_event, event)))
        return entries

    def _look_at_event(self, event: Event) -> None:
        if self._desk.view is not None:
            self._desk.look_at(replace(self._desk.view, event=event, storm=None))

    def _storm_entries(self) -> list[Entry]:
        view, results = self._desk.view, self._desk.results
        if view is None or results is None:
            return []
        design = (r.case for r in results.cases if r.case.point == view.point and not isinstance(r.case.event, str))
        storms = {case.storm for case in design}
        return [
            Entry(storm_title(self._desk.study, s), "storm", lambda s=s: self._look_at(s))  # type: ignore[misc]
            for s in sorted(storms, key=lambda s: (s.key, s.event, s.duration))
        ]

    def _look_at(self, storm: Storm) -> None:
        view = self._desk.view
        assert view is not None
        self._desk.look_at(View(view.condition, view.point, storm.event, storm.mark))
