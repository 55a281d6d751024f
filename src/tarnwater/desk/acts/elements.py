"""Commands on the selected elements, on conditions and on the step."""

from __future__ import annotations

from functools import partial

from PyQt6.QtWidgets import QInputDialog, QLineEdit

from tarnwater import units
from tarnwater.desk.acts.room import Room
from tarnwater.desk.dialogs.limits import Limits
from tarnwater.desk.required import ask_needed
from tarnwater.desk.travel import use_travel_times
from tarnwater.desk.widgets.finder import Entry
from tarnwater.errors import TarnwaterError
from tarnwater.network.elements import Catchment, Element, Pond, Reach
from tarnwater.study import edits
from tarnwater.study.document import checked
from tarnwater.study.edits.rational import reckon_rationally
from tarnwater.study.edits.sections import cut_section


def _titled(tag: str) -> str:
    return tag.replace("-", " ").capitalize()


def _said_first(model: type[Element]) -> str:
    """The first line of the description of a kind of element."""
    return (model.__doc__ or "").partition("\n")[0]


class ElementActs:
    """Commands that ask something in a small dialog first."""

    def __init__(self, room: Room) -> None:
        self._room, self._desk = room, room.desk

    def drain_into(self) -> None:
        """Choose by name what the selected elements drain into."""
        ups = self._desk.chosen
        entries = [
            Entry(e.name, e.tag(), lambda k=k: self._desk.connect(ups, k))  # type: ignore[misc]
            for k, e in self._desk.elements.items()
            if k not in ups
        ]
        who = f"{len(ups)} elements drain" if len(ups) > 1 else f"{self._desk.study.name_of(ups[0])} drains"
        self._room.offer(entries, f"{who} into …")

    def add_another(self) -> None:
        """Choose the kind of an element and add one; what it requires is asked first."""
        entries = [
            Entry(_titled(tag), _said_first(model), partial(self._add, model)) for tag, model in Element.known.items()
        ]
        self._room.offer(entries, "Add …")

    def _add(self, model: type[Element]) -> None:
        title = _titled(model.tag())
        name = edits.unused_name(self._desk.study, title)
        asked = ask_needed(self._room.widget, self._desk.study, model, f"Add {name}", name, self._room.tell)
        if asked is None:
            return
        try:
            made = checked(lambda: model(name=name, **asked), name)
        except TarnwaterError as error:
            self._room.tell(str(error))
        else:
            self._desk.add(made)

    @property
    def end_chosen(self) -> bool:
        """Whether the selected element is an end of the network."""
        chosen = self._desk.elements.get(self._desk.selection)
        return chosen is None or chosen.is_end

    def put_pond_below(self) -> None:
        """Put a pond into the link below the selected element, and select it."""
        up = self._desk.selection
        self._desk.lead_through(up, Pond(name=edits.unused_name(self._desk.study, "Pond")))

    @property
    def catchment_chosen(self) -> bool:
        """Whether the selected element is a catchment."""
        return isinstance(self._desk.elements.get(self._desk.selection), Catchment)

    @property
    def catchments_chosen(self) -> list[str]:
        """Keys of the catchments among the selected elements."""
        return [key for key in self._desk.chosen if isinstance(self._desk.elements.get(key), Catchment)]

    @property
    def course_chosen(self) -> bool:
        """Whether the selected element is a reach or a catchment with a course on a terrain."""
        chosen = self._desk.elements.get(self._desk.selection)
        course = chosen.path if isinstance(chosen, Reach) else getattr(chosen, "flow_path", None)
        return course is not None and self._desk.ground.drainage is not None

    def cut_section(self) -> None:
        """Ask for a width, and cut the section of the selected reach or channel from the terrain."""
        desk, drainage = self._desk, self._desk.ground.drainage
        if drainage is None:
            return
        unit = "m" if desk.study.units == "SI" else "ft"
        asked = f"Width across, {unit}; “30 {unit} at 0.25” cuts a quarter of the way down"
        text, taken = QInputDialog.getText(self._room.widget, "Cut the section from the terrain", asked)
        if not taken:
            return
        width, _, share = text.partition(" at ")
        try:
            values = units.parse(width, "length", default=unit), units.parse(share, "factor") if share else None
        except TarnwaterError as error:
            self._room.tell(str(error))
            return
        key = desk.selection
        if desk.do(cut_section, desk.file.blobs, drainage, key, *values, condition=desk.scope_of(key), **desk.stamp()):
            desk.say("The section is that of the terrain; correct its points in the table of the section.")

    def use_travel_times(self) -> None:
        """Give the selected catchments unit hydrographs of their travel times over the ground."""
        use_travel_times(self._desk)

    def reckon_rationally(self) -> None:
        """Reckon the selected catchments by the rational method, with its rain, durations and step."""
        desk = self._desk
        if desk.do(reckon_rationally, desk.with_scopes(self.catchments_chosen), **desk.stamp()):
            step = desk.study.run.step.value or 0.0
            desk.say(
                "Type the runoff coefficients that no cover gives. Each design point has an even storm of the time of "
                f"concentration too; the step is {units.show_duration(step)}."
            )

    def compare_times(self) -> None:
        """Open the times of the selected catchment by every equation."""
        from tarnwater.desk.benches.runoff.times_dialog import TimesDialog

        TimesDialog(self._room.widget, self._desk, self._room.theme, self._desk.selection).open()

    def show_steps(self) -> None:
        """Open the losses and the convolution of the selected catchment, step by step."""
        from tarnwater.desk.benches.runoff.steps_dialog import StepsDialog

        StepsDialog(self._room.widget, self._desk, self._desk.selection).open()

    def unit_from_event(self) -> None:
        """Open the unit hydrograph of the selected catchment from an event."""
        from tarnwater.desk.benches.runoff.event_dialog import EventDialog

        EventDialog(self._room.widget, self._desk, self._room.theme, self._desk.selection).open()

    def compare_methods(self) -> None:
        """Open the comparison of two methods of the selected element on the storm in view."""
        from tarnwater.desk.benches.runoff.methods_dialog import MethodsDialog

        MethodsDialog(self._room.widget, self._desk, self._room.theme, self._desk.selection).open()

    def fit_loss(self) -> None:
        """Open the fit of a loss of the selected catchment to its present one."""
        from tarnwater.desk.benches.runoff.fit_dialog import FitDialog

        FitDialog(self._room.widget, self._desk, self._desk.selection).open()

    def show_balance(self) -> None:
        """Open the water balance of the case in view."""
        from tarnwater.desk.benches.runoff.balance_dialog import BalanceDialog

        BalanceDialog(self._room.widget, self._desk).open()

    def show_cases(self) -> None:
        """Open the hydrographs of the selected element under several conditions, events and durations."""
        from tarnwater.desk.benches.runoff.cases_dialog import CasesDialog

        CasesDialog(self._room.widget, self._desk, self._room.theme, self._desk.selection).open()

    def show_limits(self) -> None:
        """Open the limits of the selected element."""
        Limits(self._room.widget, self._desk, self._desk.selection).open()

    def add_condition(self) -> None:
        """Ask for the name of a condition that inherits from the one in view, and edit it."""
        desk = self._desk
        parent = desk.view.condition if desk.view is not None else next(iter(desk.study.conditions))
        asked = f"Name of a condition that begins as {desk.study.conditions[parent].name}"
        name, taken = QInputDialog.getText(self._room.widget, "Add a condition", asked)
        if not taken or not name.strip():
            return
        if desk.do(edits.add_condition, name.strip(), parent):
            desk.turn_scope_to(list(desk.study.conditions)[-1])

    def remove_condition(self) -> None:
        """Remove the condition in view."""
        if self._desk.view is not None:
            self._desk.do(edits.remove_condition, self._desk.view.condition)

    def rename(self) -> None:
        """Ask for another name of the selected element."""
        old = self._desk.study.name_of(self._desk.selection)
        name, taken = QInputDialog.getText(self._room.widget, "Rename", "Name", QLineEdit.EchoMode.Normal, old)
        if taken and name.strip() and name != old:
            self._desk.do(edits.rename_element, self._desk.selection, name.strip())

    def set_step(self) -> None:
        """Choose the step of the run."""
        from tarnwater.study.document import STEPS

        present = self._desk.study.run.step.value
        names = [f"{s / 60:g} min" for s in STEPS]
        at = STEPS.index(present) if present in STEPS else 0
        chosen, taken = QInputDialog.getItem(self._room.widget, "Step of the run", "Step", names, at, editable=False)
        if taken:
            self._desk.do(edits.set_step, STEPS[names.index(chosen)], **self._desk.stamp())
