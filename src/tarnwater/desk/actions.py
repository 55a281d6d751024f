"""Actions as data: one list feeds the menus, the keys, the finder and the page of keys."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import TYPE_CHECKING

from tarnwater.desk.benches import BENCHES
from tarnwater.network.elements import Catchment, Reach
from tarnwater.study import edits

if TYPE_CHECKING:
    from tarnwater.desk.shell import Window


def always(window: Window) -> bool:
    """An action that is always to be had."""
    return True


@dataclass(frozen=True)
class Action:
    """Something a person can do: its menu, its words, its key, what it does, and when."""

    menu: str
    title: Callable[[Window], str]
    key: str
    run: Callable[[Window], object]
    enabled: Callable[[Window], bool] = always


def _words(text: str) -> Callable[[Window], str]:
    return lambda window: text


def _undo_words(window: Window) -> str:
    past = window.desk.file.history.past
    return f"Undo: {past[-1].label}" if past else "Undo"


def _redo_words(window: Window) -> str:
    future = window.desk.file.history.future
    return f"Redo: {future[-1].label}" if future else "Redo"


def _new_name(window: Window, kind: str) -> str:
    names = {e.name for e in window.desk.study.all_elements.values()}
    return next(f"{kind} {n}" for n in range(1, len(names) + 2) if f"{kind} {n}" not in names)


def add_catchment(window: Window) -> None:
    """Add a catchment; the first one gets an outfall to drain into."""
    name = _new_name(window, "Catchment")
    if window.desk.do(edits.add_draining, Catchment(name=name)):
        window.desk.select(window.desk.study.key_of(name))


def add_reach(window: Window) -> None:
    """Add a reach."""
    name = _new_name(window, "Reach")
    if window.desk.do(edits.add_draining, Reach(name=name)):
        window.desk.select(window.desk.study.key_of(name))


def _removable(window: Window) -> bool:
    return window.desk.selection in window.desk.study.elements


ACTIONS: tuple[Action, ...] = (
    Action("Study", _words("Keep a named point"), "Ctrl+S", lambda w: w.keep_point()),
    Action("Study", _words("Lock"), "", lambda w: w.desk.do(edits.lock), lambda w: not w.desk.study.locked),
    Action("Study", _words("Unlock"), "", lambda w: w.desk.do(edits.unlock), lambda w: w.desk.study.locked),
    Action("Study", _words("Close"), "Ctrl+Q", lambda w: w.close()),
    Action("Edit", _undo_words, "Ctrl+Z", lambda w: w.desk.undo(), lambda w: bool(w.desk.file.history.past)),
    Action("Edit", _redo_words, "Ctrl+Shift+Z", lambda w: w.desk.redo(), lambda w: bool(w.desk.file.history.future)),
    Action("Edit", _words("Add a catchment"), "Insert", add_catchment),
    Action("Edit", _words("Add a reach"), "Shift+Insert", add_reach),
    Action("Edit", _words("Rename"), "F2", lambda w: w.rename(), _removable),
    Action("Edit", _words("Remove the element"), "Ctrl+Delete",
           lambda w: w.desk.do(edits.remove_element, w.desk.selection), _removable),
    Action("Look", _words("SI units"), "", lambda w: w.desk.do(edits.set_study, "units", "SI"),
           lambda w: w.desk.study.units != "SI"),
    Action("Look", _words("US customary units"), "", lambda w: w.desk.do(edits.set_study, "units", "US"),
           lambda w: w.desk.study.units != "US"),
    Action("Look", _words("Light or dark"), "F9", lambda w: w.turn_theme()),
    Action("Go", _words("Find an action"), "Ctrl+K", lambda w: w.find_action()),
    Action("Go", _words("Next stop or doubt"), "F8", lambda w: w.walk_findings(1), lambda w: bool(w.desk.findings)),
    Action("Go", _words("Previous stop or doubt"), "Shift+F8", lambda w: w.walk_findings(-1),
           lambda w: bool(w.desk.findings)),
    *(
        Action("Go", _words(bench.title), f"Ctrl+{number}", lambda w, n=number: w.go_to(n - 1))  # type: ignore[misc]
        for number, bench in enumerate(BENCHES, start=1)
    ),
)  # fmt: skip
