"""Actions as data: one list feeds the menus, the keys, the finder and the page of keys."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

from tarnwater.desk.acts import Acts
from tarnwater.desk.benches import COURSE
from tarnwater.desk.benches.rain_pages import PAGES as RAIN_PAGES
from tarnwater.desk.dialogs.keys import Keys
from tarnwater.network.elements import Catchment, Confluence, Outfall, Reach
from tarnwater.study import edits


def always(acts: Acts) -> bool:
    """Whether an action is available: always."""
    return True


@dataclass(frozen=True)
class Action:
    """An action: its menu, title, key, function, and whether it is available."""

    menu: str
    title: Callable[[Acts], str]
    key: str
    run: Callable[[Acts], object]
    enabled: Callable[[Acts], bool] = always


def _words(text: str) -> Callable[[Acts], str]:
    return lambda acts: text


def _undo_words(acts: Acts) -> str:
    past = acts.desk.file.history.past
    return f"Undo: {past[-1].label}" if past else "Undo"


def _redo_words(acts: Acts) -> str:
    future = acts.desk.file.history.future
    return f"Redo: {future[-1].label}" if future else "Redo"


def _scope_words(acts: Acts) -> str:
    if acts.desk.edits_in:
        return "Edits apply to all conditions again"
    return f"Edits apply only to {acts.desk.study.conditions[acts.desk.condition].name}"


def _condition_words(acts: Acts) -> str:
    view = acts.desk.view
    known = acts.desk.study.conditions
    return f"Remove condition {known[view.condition].name}" if view and view.condition in known else "Remove condition"


def _remedy_words(acts: Acts) -> str:
    offered = acts.findings.remedies()
    return f"Apply the remedy: {offered[0].text}" if len(offered) == 1 else "Apply a remedy"


def adder(model: type[Catchment] | type[Reach] | type[Confluence] | type[Outfall]) -> Callable[[Acts], None]:
    """Adds an element of a kind, with the methods of a selected one; the first one gets an outfall to drain into."""

    def add(acts: Acts) -> None:
        name = edits.unused_name(acts.desk.study, model.__name__)
        selected = acts.desk.elements.get(acts.desk.selection)
        acts.desk.add(edits.another_like(selected, name) if isinstance(selected, model) else model(name=name))

    return add


def remove(acts: Acts) -> None:
    """Remove the chosen elements as one act, in the conditions that edits apply to.

    Elements made with an outlet of the map are removed with it, or is left out of the one condition that edits apply
    to.
    """
    desk = acts.desk
    outlets = {key: desk.study.outlet_of(key) for key in desk.chosen if not desk.scope_of(key)}
    surveyed = list(dict.fromkeys(outlet for outlet in outlets.values() if outlet is not None))
    others = [key for key in desk.chosen if outlets.get(key) is None]
    if surveyed:
        desk.ground.remove_outlets(surveyed, desk.with_scopes(others))
    elif others:
        desk.remove(others)


def show_keys(acts: Acts) -> None:
    """Show every key on one page."""
    Keys(acts.room.widget, [(action.menu, action.key, action.title(acts)) for action in ACTIONS]).open()


def _of_chosen(one: str, several: str) -> Callable[[Acts], str]:
    """Title of an action on the selected element, or on several with their number."""
    return lambda acts: several.format(n) if (n := len(acts.desk.chosen)) > 1 else one


def _removable(acts: Acts) -> bool:
    return bool(acts.desk.chosen)


ACTIONS: tuple[Action, ...] = (
    Action("Study", _words("New study …"), "Ctrl+N", lambda a: a.studies.new_study()),
    Action("Study", _words("Open a study …"), "Ctrl+O", lambda a: a.studies.open_study()),
    Action("Study", _words("Open the demo"), "", lambda a: a.studies.open_demo()),
    Action("Study", _words("Save as another file …"), "Ctrl+Shift+S", lambda a: a.studies.keep_as()),
    Action("Study", _words("Open a terrain …"), "Ctrl+T", lambda a: a.studies.open_terrain()),
    Action("Study", _words("Import shapes …"), "Ctrl+Shift+I", lambda a: a.studies.import_shapes()),
    Action("Study", _words("Bring in cover or soil …"), "Ctrl+Shift+C", lambda a: a.studies.bring_land()),
    Action("Study", _words("Maps of cover and soil …"), "", lambda a: a.studies.show_maps(),
           lambda a: bool(a.desk.study.land_layers)),
    Action("Study", _words("Measure cover and soil again"), "Ctrl+Shift+M", lambda a: a.studies.measure_land(),
           lambda a: bool(a.desk.study.land_layers)),
    Action("Study", _words("Classes of cover …"), "", lambda a: a.studies.show_classes()),
    Action("Study", _words("Import a record of rain or flow …"), "", lambda a: a.studies.import_record()),
    Action("Study", _words("Title, number, author …"), "", lambda a: a.studies.show_details()),
    Action("Study", _words("Step of the run …"), "", lambda a: a.elements.set_step()),
    Action("Study", _words("Named points …"), "Ctrl+S", lambda a: a.studies.show_points()),
    Action("Study", _words("Lock"), "", lambda a: a.desk.do(edits.lock), lambda a: not a.desk.study.locked),
    Action("Study", _words("Unlock"), "", lambda a: a.desk.do(edits.unlock), lambda a: a.desk.study.locked),
    Action("Study", _words("Write peaks and hydrographs …"), "", lambda a: a.studies.write_results(),
           lambda a: a.desk.results is not None and bool(a.desk.results.cases)),
    Action("Study", _words("Write hydrographs as NetCDF …"), "", lambda a: a.studies.write_netcdf(),
           lambda a: a.desk.results is not None and bool(a.desk.results.cases)),
    Action("Study", _words("Write the map …"), "Ctrl+Shift+X", lambda a: a.studies.export_map(),
           lambda a: bool(a.desk.study.elements)),
    Action("Study", _words("Print the view to PDF …"), "Ctrl+Shift+F", lambda a: a.studies.print_view()),
    Action("Study", _words("Close"), "Ctrl+Q", lambda a: a.room.close()),
    Action("Edit", _undo_words, "Ctrl+Z", lambda a: a.desk.undo()),
    Action("Edit", _redo_words, "Ctrl+Shift+Z", lambda a: a.desk.redo(), lambda a: bool(a.desk.file.history.future)),
    Action("Edit", _words("Add a catchment"), "Insert", adder(Catchment)),
    Action("Edit", _words("Add a reach"), "Shift+Insert", adder(Reach)),
    Action("Edit", _words("Add a confluence"), "", adder(Confluence)),
    Action("Edit", _words("Add an outfall"), "", adder(Outfall)),
    Action("Edit", _words("Add an element of any kind …"), "Alt+Insert", lambda a: a.elements.add_another()),
    Action("Edit", _words("Put a pond below the element"), "Ctrl+B", lambda a: a.elements.put_pond_below(),
           lambda a: len(a.desk.chosen) == 1 and not a.elements.end_chosen),
    Action("Edit", _words("Duplicate the element"), "Ctrl+Shift+Insert", lambda a: a.desk.duplicate(a.desk.selection),
           lambda a: len(a.desk.chosen) == 1),
    Action("Edit", _of_chosen("Drain into …", "Drain {} elements into …"), "Ctrl+L",
           lambda a: a.elements.drain_into(), _removable),
    Action("Edit", _of_chosen("Set or remove a design point", "Set or remove {} design points"), "Ctrl+E",
           lambda a: a.desk.turn_design_points(a.desk.chosen), _removable),
    Action("Edit", _words("Limits of the design point …"), "Ctrl+M", lambda a: a.elements.show_limits(), _removable),
    Action("Edit", _words("Add a condition …"), "Ctrl+Shift+N", lambda a: a.elements.add_condition()),
    Action("Edit", _condition_words, "", lambda a: a.elements.remove_condition(),
           lambda a: a.desk.view is not None and len(a.desk.study.conditions) > 1),
    Action("Edit", _of_chosen("Reckon by the rational method", "Reckon {} elements by the rational method"),
           "Ctrl+Alt+R", lambda a: a.elements.reckon_rationally(), lambda a: bool(a.elements.catchments_chosen)),
    Action("Edit", _words("Compare times of concentration …"), "Ctrl+Shift+T", lambda a: a.elements.compare_times(),
           lambda a: a.elements.catchment_chosen),
    Action("Edit", _words("Unit hydrograph from an event …"), "Ctrl+Shift+U", lambda a: a.elements.unit_from_event(),
           lambda a: a.elements.catchment_chosen),
    Action("Edit", _words("Cut the section from the terrain …"), "Ctrl+Alt+S", lambda a: a.elements.cut_section(),
           lambda a: a.elements.course_chosen),
    Action("Edit", _words("Fit a loss to the present one …"), "Ctrl+Alt+L", lambda a: a.elements.fit_loss(),
           lambda a: a.elements.catchment_chosen and a.desk.results is not None),
    Action("Edit", _words("Unit hydrograph from travel times"), "Ctrl+Shift+Y", lambda a: a.elements.use_travel_times(),
           lambda a: bool(a.elements.catchments_chosen) and a.desk.ground.drainage is not None),
    Action("Edit", _words("Compare two methods on the storm in view …"), "Ctrl+Shift+K",
           lambda a: a.elements.compare_methods(), lambda a: a.desk.selection in a.desk.elements),
    Action("Look", _words("Hydrographs of conditions, events and durations …"), "Ctrl+Shift+H",
           lambda a: a.elements.show_cases(), lambda a: a.desk.case_showing(a.desk.selection) is not None),
    Action("Look", _words("Water balance …"), "Ctrl+Shift+W", lambda a: a.elements.show_balance(),
           lambda a: a.desk.results is not None),
    Action("Look", _words("Losses and convolution step by step …"), "Ctrl+Shift+L", lambda a: a.elements.show_steps(),
           lambda a: a.elements.catchment_chosen and a.desk.results is not None),
    Action("Edit", _words("Rename"), "F2", lambda a: a.elements.rename(), _removable),
    Action("Edit", _of_chosen("Remove the element", "Remove {} elements"), "Ctrl+Delete", remove, _removable),
    Action("Edit", _scope_words, "F6", lambda a: a.desk.turn_scope()),
    Action("Look", _words("SI units"), "", lambda a: a.desk.do(edits.set_study, "units", "SI"),
           lambda a: a.desk.study.units != "SI"),
    Action("Look", _words("US customary units"), "", lambda a: a.desk.do(edits.set_study, "units", "US"),
           lambda a: a.desk.study.units != "US"),
    Action("Look", _of_chosen("Pin the selected flow", "Pin {} flows"), "Ctrl+P",
           lambda a: a.desk.pin_chosen(), _removable),
    Action("Look", _words("Change the unit of this field or column …"), "Ctrl+U", lambda a: a.asking.choose_unit()),
    Action("Look", _words("Fold or unfold the pins"), "Ctrl+Shift+P", lambda a: a.room.pins.turn_fold()),
    Action("Look", _words("Light or dark"), "F9", lambda a: a.room.turn_theme()),
    Action("Go", _words("Find an action"), "Ctrl+K", lambda a: a.room.find_action()),
    Action("Go", _words("Ask where a number comes from"), "F1", lambda a: a.asking.ask()),
    Action("Go", _words("Next stop or doubt"), "F8", lambda a: a.findings.walk(1), lambda a: bool(a.desk.findings)),
    Action("Go", _words("Previous stop or doubt"), "Shift+F8", lambda a: a.findings.walk(-1),
           lambda a: bool(a.desk.findings)),
    Action("Edit", _remedy_words, "Ctrl+Shift+R", lambda a: a.findings.apply_remedy(), lambda a: bool(a.desk.findings)),
    Action("Edit", _words("Accept the doubt …, or withdraw the acceptance"), "Ctrl+Shift+A",
           lambda a: a.findings.accept(), lambda a: bool(a.desk.findings)),
    Action("Go", _words("To the ledger"), "F7", lambda a: a.room.ledger.go_to_first()),
    Action("Go", _words("Page of keys"), "Shift+F1", show_keys),
    Action("Go", _words("Compute again"), "F5", lambda a: a.room.work()),
    *(
        Action("Go", _words(f"Rain: {title}"), "", lambda a, n=number: a.studies.show_rain(n))  # type: ignore[misc]
        for number, (title, _) in enumerate(RAIN_PAGES)
    ),
    *(
        Action("Go", _words(bench.title), f"Ctrl+{number}", lambda a, n=number: a.room.go_to(n - 1))  # type: ignore[misc]
        for number, bench in enumerate(COURSE, start=1)
    ),
)  # fmt: skip
