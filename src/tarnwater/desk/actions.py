"""Actions as data: one list feeds the menus, the keys, the finder and the page of keys."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import TYPE_CHECKING

from tarnwater.desk.benches import COURSE
from tarnwater.network.elements import Catchment, Confluence, Outfall, Reach
from tarnwater.study import edits
from tarnwater.study.edits.delineation import outlet_of

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


def _scope_words(window: Window) -> str:
    if window.desk.edits_in:
        return "Typing counts in all conditions again"
    return f"Typing counts only in {window.desk.study.conditions[window.desk.condition].name}"


def _condition_words(window: Window) -> str:
    view = window.desk.view
    known = window.desk.study.conditions
    return f"Remove condition {known[view.condition].name}" if view and view.condition in known else "Remove condition"


def _remedy_words(window: Window) -> str:
    offered = window.remedies()
    return f"Apply the remedy: {offered[0].text}" if len(offered) == 1 else "Apply a remedy"


def adder(model: type[Catchment] | type[Reach] | type[Confluence] | type[Outfall]) -> Callable[[Window], None]:
    """Adds an element of a kind; the first one gets an outfall to drain into."""

    def add(window: Window) -> None:
        name = edits.unused_name(window.desk.study, model.__name__)
        window.desk.add(model(name=name))

    return add


def remove(window: Window) -> None:
    """Remove the chosen elements as one act where edits count.

    What came with an outlet of the map goes with its outlet, or is left out of the one condition that edits count in.
    """
    desk = window.desk
    outlets = {key: outlet_of(desk.study, key) for key in desk.chosen if not desk.scope_of(key)}
    surveyed = list(dict.fromkeys(outlet for outlet in outlets.values() if outlet is not None))
    others = [key for key in desk.chosen if outlets.get(key) is None]
    if surveyed:
        desk.ground.remove_outlets(surveyed, desk.with_scopes(others))
    elif others:
        desk.remove(others)


def _of_chosen(one: str, several: str) -> Callable[[Window], str]:
    """Words of an act on the element selected, or with their number on those gathered."""
    return lambda window: several.format(n) if (n := len(window.desk.chosen)) > 1 else one


def _removable(window: Window) -> bool:
    return bool(window.desk.chosen)


ACTIONS: tuple[Action, ...] = (
    Action("Study", _words("New study …"), "Ctrl+N", lambda w: w.new_study()),
    Action("Study", _words("Open a study …"), "Ctrl+O", lambda w: w.open_study()),
    Action("Study", _words("Open the demo"), "", lambda w: w.open_demo()),
    Action("Study", _words("Keep as another file …"), "Ctrl+Shift+S", lambda w: w.keep_as()),
    Action("Study", _words("Open a terrain …"), "Ctrl+T", lambda w: w.open_terrain()),
    Action("Study", _words("Title, number, author …"), "", lambda w: w.show_details()),
    Action("Study", _words("Step of the run …"), "", lambda w: w.set_step()),
    Action("Study", _words("Named points …"), "Ctrl+S", lambda w: w.show_points()),
    Action("Study", _words("Lock"), "", lambda w: w.desk.do(edits.lock), lambda w: not w.desk.study.locked),
    Action("Study", _words("Unlock"), "", lambda w: w.desk.do(edits.unlock), lambda w: w.desk.study.locked),
    Action("Study", _words("Write peaks and hydrographs …"), "", lambda w: w.write_results(),
           lambda w: w.desk.results is not None and bool(w.desk.results.cases)),
    Action("Study", _words("Print what is in view to PDF …"), "Ctrl+Shift+F", lambda w: w.print_view()),
    Action("Study", _words("Close"), "Ctrl+Q", lambda w: w.close()),
    Action("Edit", _undo_words, "Ctrl+Z", lambda w: w.desk.undo()),
    Action("Edit", _redo_words, "Ctrl+Shift+Z", lambda w: w.desk.redo(), lambda w: bool(w.desk.file.history.future)),
    Action("Edit", _words("Add a catchment"), "Insert", adder(Catchment)),
    Action("Edit", _words("Add a reach"), "Shift+Insert", adder(Reach)),
    Action("Edit", _words("Add a confluence"), "", adder(Confluence)),
    Action("Edit", _words("Add an outfall"), "", adder(Outfall)),
    Action("Edit", _of_chosen("Drain into …", "Drain {} elements into …"), "Ctrl+L",
           lambda w: w.drain_into(), _removable),
    Action("Edit", _of_chosen("Make or unmake a design point", "Make or unmake {} design points"), "Ctrl+E",
           lambda w: w.desk.turn_design_points(w.desk.chosen), _removable),
    Action("Edit", _words("Limits of the design point …"), "Ctrl+M", lambda w: w.show_limits(), _removable),
    Action("Edit", _words("Add a condition …"), "Ctrl+Shift+N", lambda w: w.add_condition()),
    Action("Edit", _condition_words, "", lambda w: w.remove_condition(),
           lambda w: w.desk.view is not None and len(w.desk.study.conditions) > 1),
    Action("Edit", _words("Rename"), "F2", lambda w: w.rename(), _removable),
    Action("Edit", _of_chosen("Remove the element", "Remove {} elements"), "Ctrl+Delete", remove, _removable),
    Action("Edit", _scope_words, "F6", lambda w: w.desk.turn_scope()),
    Action("Look", _words("SI units"), "", lambda w: w.desk.do(edits.set_study, "units", "SI"),
           lambda w: w.desk.study.units != "SI"),
    Action("Look", _words("US customary units"), "", lambda w: w.desk.do(edits.set_study, "units", "US"),
           lambda w: w.desk.study.units != "US"),
    Action("Look", _of_chosen("Pin the selected flow", "Pin {} flows"), "Ctrl+P",
           lambda w: w.desk.pin_chosen(), _removable),
    Action("Look", _words("Another unit of this field or column …"), "Ctrl+U", lambda w: w.choose_unit()),
    Action("Look", _words("Fold or unfold the pins"), "Ctrl+Shift+P", lambda w: w.pins.turn_fold()),
    Action("Look", _words("Light or dark"), "F9", lambda w: w.turn_theme()),
    Action("Go", _words("Find an action"), "Ctrl+K", lambda w: w.find_action()),
    Action("Go", _words("Ask where a number comes from"), "F1", lambda w: w.ask()),
    Action("Go", _words("Next stop or doubt"), "F8", lambda w: w.walk_findings(1), lambda w: bool(w.desk.findings)),
    Action("Go", _words("Previous stop or doubt"), "Shift+F8", lambda w: w.walk_findings(-1),
           lambda w: bool(w.desk.findings)),
    Action("Edit", _remedy_words, "Ctrl+Shift+R", lambda w: w.apply_remedy(), lambda w: bool(w.desk.findings)),
    Action("Edit", _words("Accept the doubt …, or doubt it again"), "Ctrl+Shift+A", lambda w: w.accept_doubt(),
           lambda w: bool(w.desk.findings)),
    Action("Go", _words("To the ledger"), "F7", lambda w: w.go_to_ledger()),
    Action("Go", _words("Page of keys"), "Shift+F1", lambda w: w.show_keys()),
    Action("Go", _words("Compute again"), "F5", lambda w: w.work()),
    *(
        Action("Go", _words(bench.title), f"Ctrl+{number}", lambda w, n=number: w.go_to(n - 1))  # type: ignore[misc]
        for number, bench in enumerate(COURSE, start=1)
    ),
)  # fmt: skip
