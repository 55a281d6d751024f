"""The page of ponds: the section to drag, the curves beside it, every storm below."""

from __future__ import annotations

import contextlib
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, replace
from functools import partial
from typing import Any

import numpy as np
from PyQt6.QtCore import Qt, QTimer, pyqtSignal
from PyQt6.QtWidgets import (
    QComboBox,
    QHBoxLayout,
    QInputDialog,
    QLineEdit,
    QPushButton,
    QSplitter,
    QStackedWidget,
    QVBoxLayout,
    QWidget,
)

from tarnwater import units
from tarnwater.brief.pond_tables import (
    Accepted,
    cases_table,
    event_words,
    events_table,
    levels_table,
    recovered_words,
    requirements_table,
)
from tarnwater.desk.benches.works.player import Player
from tarnwater.desk.benches.works.rounding import rounded_to_step, step_of
from tarnwater.desk.benches.works.section_view import SectionView
from tarnwater.desk.benches.works.trials_table import TrialsTable
from tarnwater.desk.desk import Desk, View
from tarnwater.desk.theme import Theme, desk_font
from tarnwater.desk.widgets.drawing_view import FORMATS, write_drawing
from tarnwater.desk.widgets.finder import Entry, Finder
from tarnwater.desk.widgets.labels import Words, as_hint
from tarnwater.desk.widgets.plot_view import PlotView
from tarnwater.desk.widgets.text_grid import TextGrid
from tarnwater.drawings import Drawing
from tarnwater.errors import TarnwaterError
from tarnwater.methods import kind_within
from tarnwater.network.elements import Pond
from tarnwater.routing.works import Device, Riser
from tarnwater.routing.works.control import DeviceFlows, device_flows
from tarnwater.study import edits
from tarnwater.study.answers import CaseResult
from tarnwater.study.answers.level_table import level_table
from tarnwater.study.answers.pond_events import PondEvent, point_below, pond_events
from tarnwater.study.answers.pond_table import PondRow, level_felt, pond_rows
from tarnwater.study.answers.requirements import requirements
from tarnwater.study.answers.storms import event_title
from tarnwater.study.document.conditions import resolve
from tarnwater.study.document.feature_lines import line_of
from tarnwater.study.document.fields import description_at
from tarnwater.study.edits.impounding import crest_above, store_behind_dam, water_behind
from tarnwater.study.edits.works import copy_works, limit_inlet, shape_pond
from tarnwater.study.pictures.pond import outflow_plot, pond_event_plot, stored_plot
from tarnwater.study.pictures.pond_plan import pond_plan
from tarnwater.study.pictures.pond_section import LevelLine, PlacedDevice, PlacedGrip, PondSection, pond_section
from tarnwater.terrain.impoundment import Dam

#: Time without a further key after which what the arrows moved is meant, ms.
MEANT_AFTER = 700

#: What is drawn by a stroke, by its letter: the tag of the device and its words.
TOOLS = {
    "c": ("round-orifice", "round opening"),
    "b": ("rectangular-orifice", "box opening"),
    "w": ("broad-weir", "spillway"),
    "n": ("notch-weir", "notch"),
    "r": ("round-riser", "riser"),
    "p": ("round-pipe", "pipe"),
}

#: Width that the curves need, pixels.
LEAST_CURVES = 250

HINT = "drag anything · A add · C B W N R P draw · F find · O outlet · S off/on · I into a riser · Del · Space plays"
HELP = (
    "Grips and devices are dragged; Tab chooses one, the arrows move it, with Shift by ten steps, Enter goes to its "
    "value. A device that is dragged onto a riser discharges into it.\n"
    "Draw on the wall: C a round opening, B a box, W a spillway, N a notch, R a riser, P a pipe.\n"
    "F finds the chosen size, O a whole outlet, X draws out. A adds by name, S switches the chosen device off or on, I "
    "puts it into the next riser or out, Delete removes it. Space plays the water."
)


@dataclass(frozen=True)
class Moving:
    """What the arrows move: the grip or device, in the section as it was, and how many steps so far."""

    what: PlacedGrip | PlacedDevice
    steps: int


class PondsPage(QWidget):
    """One pond of the study, with all that follows from it in every case."""

    led = pyqtSignal(str)

    def __init__(self, desk: Desk, theme: Theme) -> None:
        super().__init__()
        self.desk, self.theme = desk, theme
        self.key = ""
        self._rows: list[PondRow] = []
        self._events: list[PondEvent] = []
        self._values: Mapping[str, float] = {}
        self._inside: tuple[int, str] | None = None
        self._moving: Moving | None = None
        self._known: tuple[tuple[Pond, CaseResult | None, float, int], DeviceFlows] | None = None
        self._meant = QTimer(self)
        self._meant.setSingleShot(True)
        self._meant.setInterval(MEANT_AFTER)
        self._meant.timeout.connect(self._mean)
        self._make_widgets(theme)
        self._lay_out()
        self._connect()

    def _make_widgets(self, theme: Theme) -> None:
        self.ponds = QComboBox()
        self.ponds.setAccessibleName("Pond")
        self.ponds.setFont(desk_font(10, bold=True))
        self.ponds.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToContents)
        self.margin = Words("", bold=True, size=9)
        self.section = SectionView(theme)
        self.told = Words("", quiet=True, size=8)
        self.hint = Words(HINT, quiet=True, size=8)
        self.hint.setToolTip(as_hint(HELP))
        self.player = Player()
        self.outflow = PlotView("Outflow by level", theme)
        self.stored = PlotView("Volume by level", theme)
        self.flows = PlotView("Flows and level of the event", theme)
        self.events = TextGrid("Every event of the pond", theme)
        self.cases = TextGrid("Every case of the pond", theme)
        self.levels = TextGrid("The pond by level", theme)
        self.all_ponds = TextGrid("All ponds side by side", theme)
        self.all_ponds.row_chosen.connect(self._look_at_any)
        self._side_by_side: list[PondEvent] = []
        self.required = TextGrid("What is required of the pond", theme)
        self.trials = TrialsTable(self.desk, theme)
        self.increment = QLineEdit()
        self.increment.setAccessibleName("Increment of the levels")
        self.increment.setPlaceholderText("increment")
        self.increment.setFixedWidth(80)
        self.increment.returnPressed.connect(self._show_tables)
        self.missing = Words("", quiet=True, size=10)
        self.missing.setAlignment(Qt.AlignmentFlag.AlignCenter)
        self.missing.setWordWrap(True)
        self.go, self.put = QPushButton(""), QPushButton("")
        for button in (self.go, self.put):
            button.hide()
        self.put.clicked.connect(lambda _=False: self._put_pond())

    def _lay_out(self) -> None:
        self.add = self._flat("add …", "Add storage or a device", "A: add storage or a device by name")
        self.copy = self._flat("copy …", "Copy the works of another pond", "the outlet works of another pond")
        head = QHBoxLayout()
        head.addWidget(self.ponds)
        head.addWidget(self.add)
        head.addWidget(self.copy)
        self.size_button = self._flat(
            "find a size …", "Find a size", "F: one dimension for the limits, a level or a drain time"
        )
        self.outlet_button = self._flat(
            "whole outlet …", "Propose a whole outlet", "O: openings and a spillway for all limits at once"
        )
        head.addWidget(self.size_button)
        self.draw_button = self._flat(
            "draw out …", "Draw out section and plan", "X: section and plan as PDF, SVG, PNG or DXF"
        )
        head.addWidget(self.outlet_button)
        head.addWidget(self.draw_button)
        head.addStretch(1)
        for words in (self.margin, self.told, self.hint):
            words.setWordWrap(True)
        left = QWidget()
        column = QVBoxLayout(left)
        column.setContentsMargins(0, 0, 8, 0)
        column.setSpacing(2)
        column.addWidget(self.section, 1)
        column.addWidget(self.told)
        column.addWidget(self.player)
        column.addWidget(self.hint)
        self.curves = QStackedWidget()
        self.curves.addWidget(self.outflow)
        self.curves.addWidget(self.stored)
        curve_tabs = self._tabs(("Outflow", "Volume"), self.curves, "curve")
        right = QWidget()
        right.setMinimumWidth(LEAST_CURVES)
        beside = QVBoxLayout(right)
        beside.setContentsMargins(8, 0, 0, 0)
        beside.setSpacing(0)
        beside.addWidget(self.margin)
        beside.addLayout(curve_tabs)
        beside.addWidget(self.curves, 1)
        self.by_device = self._flat("by device", "Flow of each device", "the flow of each device on the same axis")
        self.by_device.setCheckable(True)
        self.by_device.toggled.connect(self._turn_by_device)
        beside.addWidget(self.flows, 1)
        beside.addWidget(self.by_device)
        upper = QSplitter(Qt.Orientation.Horizontal)
        upper.addWidget(left)
        upper.addWidget(right)
        upper.setStretchFactor(0, 3)
        upper.setStretchFactor(1, 2)
        upper.setSizes([600, 320])
        self.tables = QStackedWidget()
        for table in (self.events, self.required, self.trials, self.cases, self.levels, self.all_ponds):
            self.tables.addWidget(table)
        lower = QWidget()
        below = QVBoxLayout(lower)
        below.setContentsMargins(0, 0, 0, 0)
        below.setSpacing(0)
        tabs = self._tabs(
            ("Every event", "Required", "Tried", "Every case", "By level", "All ponds"), self.tables, "table"
        )
        tabs.addWidget(self.increment)
        below.addLayout(tabs)
        self.recovered = Words("", quiet=True, size=8)
        below.addWidget(self.recovered)
        below.addWidget(self.tables, 1)
        self.whole = QSplitter(Qt.Orientation.Vertical)
        self.whole.addWidget(upper)
        self.whole.addWidget(lower)
        self.whole.setStretchFactor(0, 5)
        self.whole.setStretchFactor(1, 2)
        self.whole.setSizes([400, 220])
        self.whole.setChildrenCollapsible(False)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.addLayout(head)
        layout.addWidget(self.whole, 1)
        layout.addStretch(0)
        layout.addWidget(self.missing)
        offers = QHBoxLayout()
        offers.addStretch(1)
        offers.addWidget(self.go)
        offers.addWidget(self.put)
        offers.addStretch(1)
        layout.addLayout(offers)

    @staticmethod
    def _flat(text: str, name: str, hint: str) -> QPushButton:
        button = QPushButton(text)
        button.setProperty("flat", True)
        button.setProperty("small", True)
        button.setAccessibleName(name)
        button.setToolTip(hint)
        return button

    def _tabs(self, names: tuple[str, ...], stack: QStackedWidget, of: str) -> QHBoxLayout:
        row = QHBoxLayout()
        row.setSpacing(8)
        buttons: list[QPushButton] = []
        for number, name in enumerate(names):
            button = QPushButton(name)
            button.setCheckable(True)
            button.setAutoExclusive(False)
            button.setProperty("tab", True)
            button.setAccessibleName(f"{name} ({of})")
            button.setFont(desk_font(8.5))
            button.clicked.connect(partial(self._turn, stack, buttons, number))
            row.addWidget(button)
            buttons.append(button)
        buttons[0].setChecked(True)
        row.addStretch(1)
        return row

    def _turn(self, stack: QStackedWidget, buttons: list[QPushButton], number: int, _checked: bool = False) -> None:
        for other, button in enumerate(buttons):
            button.setChecked(other == number)
        stack.setCurrentIndex(number)
        self._show_curves()
        self._show_tables()

    def _turn_by_device(self, shown: bool) -> None:
        """Give the flows of the devices the room of the curves, which they need."""
        self.curves.setVisible(not shown)
        self._show_flows()

    def _connect(self) -> None:
        view = self.section
        view.tried.connect(self._try)
        view.let_go.connect(self._mean)
        view.given_up.connect(self._give_up)
        view.strayed.connect(lambda: self.desk.say("The drag left the section; it goes no further than its edge."))
        view.entered.connect(self._enter)
        view.removed.connect(self._remove)
        view.stepped.connect(self._step)
        view.drawn.connect(self._draw)
        view.key_pressed.connect(self._letter)
        view.resized.connect(self._show_section)
        self.player.moved.connect(self._show_moment)
        self.ponds.activated.connect(lambda: self.desk.select(self.ponds.currentData()))
        self.add.clicked.connect(self.offer_parts)
        self.copy.clicked.connect(self.offer_copies)
        self.size_button.clicked.connect(self.find_size)
        self.outlet_button.clicked.connect(self.find_outlet)
        self.draw_button.clicked.connect(self.draw_out)
        self.events.row_chosen.connect(self._look_at_event)
        self.cases.row_chosen.connect(self._look_at_case)

    def set_theme(self, theme: Theme) -> None:
        """Apply another theme."""
        self.theme = self.section.theme = theme
        for plot in (self.outflow, self.stored, self.flows):
            plot.set_theme(theme)
        for table in (self.events, self.required, self.trials.grid, self.cases, self.levels, self.all_ponds):
            table.texts.theme = theme

    # what is shown

    @property
    def pond(self) -> Pond | None:
        """The pond in the condition in view; None where it has none."""
        found = self.desk.elements.get(self.key)
        return found if isinstance(found, Pond) else None

    def _homes(self) -> dict[str, str]:
        """Ponds of the study by key, each with the first condition that has it."""
        study = self.desk.study
        found: dict[str, str] = {}
        for condition in study.conditions:
            for key, element in resolve(study, condition).elements.items():
                if isinstance(element, Pond):
                    found.setdefault(key, condition)
        return found

    def refresh(self) -> None:
        """Show the pond again, or what is missing for one."""
        homes, selected = self._homes(), self.desk.selection
        if selected in homes:
            self.key = selected
        elif self.key not in homes or self.key not in self.desk.elements:
            there = [key for key in homes if key in self.desk.elements]
            self.key = next(iter(there or homes), "")
        self._list_ponds(homes)
        pond = self.pond
        shown = pond is not None and pond.store is not None
        self.whole.setVisible(shown)
        self.missing.setVisible(not shown)
        self.go.setVisible(not shown)
        self.put.hide()
        self.margin.setVisible(shown)
        for button in (self.add, self.copy, self.size_button, self.outlet_button, self.draw_button):
            button.setVisible(pond is not None)
        if not shown:
            self._tell_missing(homes)
            return
        results = self.desk.results
        self._events = [] if results is None else pond_events(results, self.key)
        assert pond is not None
        self.trials.log(self.key, pond, self._here())
        self._show_margin()
        self._show_section()
        self._show_curves()
        self._show_flows()
        self._show_tables()

    def _list_ponds(self, homes: Mapping[str, str]) -> None:
        names = [(self.desk.study.name_of(key), key) for key in homes]
        if [(self.ponds.itemText(n), self.ponds.itemData(n)) for n in range(self.ponds.count())] != names:
            self.ponds.clear()
            for name, key in names:
                self.ponds.addItem(name, key)
        self.ponds.setVisible(bool(names))
        self.ponds.setCurrentIndex(max(self.ponds.findData(self.key), 0))

    def _tell_missing(self, homes: Mapping[str, str]) -> None:
        """Say why there is no pond to look at, and offer the way to one."""
        desk, study = self.desk, self.desk.study
        with_it = homes.get(self.key, "")
        if self.key and self.pond is None:
            name, there = study.name_of(self.key), study.conditions[with_it].name
            self.missing.setText(f"{study.conditions[desk.condition].name} has no {name}.")
            self._offer(f"Look at {there}", lambda: self._look_at_condition(with_it))
            self._offer_pond()
        elif self.pond is not None:
            self.missing.setText(f"{study.name_of(self.key)} has no storage yet, so it passes its inflow on.")
            self._offer("Add storage", self.offer_storage)
        elif desk.selection in desk.elements and not desk.elements[desk.selection].is_end:
            self.missing.setText("A pond, its outlet works and its level in every storm appear here.")
            self.go.hide()
            self._offer_pond()
        else:
            self.missing.setText("A pond, its outlet works and its level in every storm appear here.\n"
                                 "Select what it shall lie below, and press Ctrl+B.")  # fmt: skip
            self.go.hide()

    def _offer_pond(self) -> None:
        """Offer to put a pond below the selected element, where there may be one."""
        chosen = self.desk.elements.get(self.desk.selection)
        able = chosen is not None and not chosen.is_end and not isinstance(chosen, Pond)
        self.put.setVisible(able)
        if chosen is not None:
            self.put.setText(f"Put a pond below {chosen.name}   Ctrl+B")
            self.put.setAccessibleName(f"Put a pond below {chosen.name}")

    def _offer(self, words: str, act: Any) -> None:
        self.go.setText(words)
        self.go.setAccessibleName(words)
        with contextlib.suppress(TypeError):
            # at first it is not connected
            self.go.clicked.disconnect()
        self.go.clicked.connect(lambda: act())

    def _put_pond(self) -> None:
        self.desk.lead_through(self.desk.selection, Pond(name=edits.unused_name(self.desk.study, "Pond")))

    def _look_at_condition(self, condition: str) -> None:
        self.desk.turn_scope_to(condition)

    def _show_margin(self) -> None:
        """The least that is in hand of all limits of the condition in view, as a number."""
        limited = [one for one in self._here() if one.over is not None]
        if not limited:
            self.margin.setText("no limit below it" if self._events else "")
            return
        worst = max(limited, key=lambda one: one.over or 0.0)
        text = event_words(self.desk.study, worst)
        self.margin.setText(text)
        role = "stop" if (worst.over or 0.0) > 0 else "water"
        if self.margin.property("role") != role:
            self.margin.setProperty("role", role)
            style = self.margin.style()
            if style is not None:
                style.unpolish(self.margin)
                style.polish(self.margin)

    def _here(self) -> list[PondEvent]:
        """Events of the condition in view."""
        return [one for one in self._events if one.condition == self.desk.condition]

    @property
    def _case(self) -> CaseResult | None:
        case = self.desk.case_showing(self.key)
        return case if case is not None and self.key in case.network.elements else None

    @property
    def _ghost_case(self) -> CaseResult | None:
        before = self.desk.before
        case = None if before is None else self.desk.case_showing(self.key, before)
        return case if case is not None and self.key in case.network.elements else None

    def _show_section(self) -> None:
        pond = self.pond
        if pond is None or pond.store is None or not self.whole.isVisibleTo(self):
            return
        level, inside, _ = self._moment()
        section = self._drafted(pond, level, inside)
        ghost = None
        old = self._before()
        if old is not None and old is not pond and self.desk.trial is not None:
            ghost = self._drafted(old, self._ghost_level(), {})
        self.section.show_section(section, ghost)
        self.told.setText("" if section is None else section.drawing.told)
        self._tell_moment()

    def _drafted(self, pond: Pond, level: float | None, inside: Mapping[str, float]) -> PondSection | None:
        return pond_section(
            pond, self.desk.study.units, ratio=self.section.ratio, level=level, inside=inside, lines=self._lines(pond)
        )

    def _before(self) -> Pond | None:
        """The pond before the last edit, or before what is tried."""
        before = self.desk.before
        if before is None or self.desk.condition not in before.study.conditions:
            return None
        found = resolve(before.study, self.desk.condition).elements.get(self.key)
        return found if isinstance(found, Pond) and found.store is not None else None

    def _ghost_level(self) -> float | None:
        case = self._ghost_case
        pool = None if case is None else case.pool(self.key)
        return None if pool is None else pool.top

    def _lines(self, pond: Pond) -> list[LevelLine]:
        """The highest level of each event, and the level that the freeboard leaves."""
        study, assert_store = self.desk.study, pond.store
        assert assert_store is not None
        found = []
        for one in self._here():
            text = f"{event_title(study, one.event)}  {units.show(one.row.top, 'height', study.units, digits=5)}"
            found.append(LevelLine(one.row.top, text, "limit" if one.keeps is False else "water", "dotted"))
        if pond.freeboard:
            level = assert_store.top - pond.freeboard
            text = f"freeboard {units.show(level, 'height', study.units, digits=5)}"
            found.append(LevelLine(level, text, "limit"))
        return found

    def _moment(self) -> tuple[float | None, dict[str, float], int]:
        """The level that is looked at, the levels in the risers, and the ordinate (−1 for the highest level)."""
        case, pond = self._case, self.pond
        level = None if case is None else case.level(self.key)
        pool = None if case is None else case.pool(self.key)
        if case is None or pond is None or level is None or pool is None:
            self.player.set_length(0)
            return None, {}, -1
        self.player.set_length(len(level))
        at = min(self.player.at, len(level) - 1)
        now = pool.top if at < 0 else float(level[at])
        return now, {name: float(z[0]) for name, z in self._flows_at(now, at).inside.items()}, at

    def _flows_at(self, level: float, at: int) -> DeviceFlows:
        """Flows of the devices at a level, with the water behind them at an ordinate."""
        pond, case = self.pond, self._case
        assert pond is not None
        asked = pond, case, level, at
        if self._known is None or any(a is not b and a != b for a, b in zip(self._known[0], asked, strict=True)):
            self._known = asked, self._find_flows_at(pond, case, level, at)
        return self._known[1]

    def _find_flows_at(self, pond: Pond, case: CaseResult | None, level: float, at: int) -> DeviceFlows:
        before = np.array([level])
        pool = None if case is None else case.pool(self.key)
        if case is None or pool is None:
            felt = None
        else:
            felt = level_felt(pond, case, at if at >= 0 else pool.time / case.step)
        behind = pond.behind(before) if felt is None else np.array([felt])
        return device_flows(pond.outlets, before, behind)

    def _tell_moment(self) -> None:
        """Level, time and flow of each device in words, with what governs."""
        case, pond = self._case, self.pond
        level, _, at = self._moment()
        if case is None or pond is None or level is None:
            self.player.words.setText("computing …" if self.desk.computing else "no case of this pond is in view")
            return
        system, pool = self.desk.study.units, case.pool(self.key)
        assert pool is not None
        found = self._flows_at(level, at)
        flows = {name: float(flow[0]) for name, flow in found.by_device.items() if flow[0] > 0}
        flows = {name: flow for name, flow in flows.items() if name not in found.sums}
        shown = units.show_alike(list(flows.values()), "flow", system) if flows else []
        parts = [f"{name} {text}" for name, text in zip(flows, shown, strict=True)]
        when = case.when(pool.time if at < 0 else at * case.step)
        governs = f" · governs: {found.controls[0]}" if found.controls[0] else ""
        spilled = f" · overflows {units.show(pool.spilled, 'volume', system)}" if pool.spilled > 0 else ""
        told = f"{units.show(level, 'height', system, digits=5)} at {when}{spilled}{governs}\n{', '.join(parts)}"
        self.player.words.setText(told)
        self.player.words.setToolTip(told)

    def _show_moment(self) -> None:
        self._show_section()

    def _show_curves(self) -> None:
        pond = self.pond
        if pond is None:
            return
        before, study = self._before(), self.desk.study
        ghost = before if before is not pond else None
        if self.curves.currentIndex() == 0:
            self.outflow.show_plot(outflow_plot(pond, study, self._here(), ghost), "the pond passes its inflow on.")
        else:
            event = None if self.desk.view is None else self.desk.view.event
            self.stored.show_plot(stored_plot(pond, study, self._here(), ghost, event), "the pond has no storage.")

    def _show_flows(self) -> None:
        desk, case = self.desk, self._case
        if case is None or desk.results is None:
            self.flows.show_plot(None, "computing …" if desk.computing else "no case of this pond is computed.")
            return
        own = next((one for one in self._here() if one.event == case.case.event), None)
        limit = None if own is None else own.allowed
        plot = pond_event_plot(
            desk.results, case, self.key, ghost=self._ghost_case, limit=limit, devices=self.by_device.isChecked()
        )
        self.flows.show_plot(plot, "the pond passes its inflow on.")

    def _show_tables(self) -> None:
        results, pond = self.desk.results, self.pond
        if pond is None:
            return
        shown = self.tables.currentWidget()
        self.increment.setVisible(shown is self.levels)
        self.recovered.setText(recovered_words(pond) if shown is self.levels else "")
        self.recovered.setVisible(bool(self.recovered.text()))
        if shown is self.levels:
            self._show_levels(pond)
        elif shown is self.trials:
            self.trials.refresh()
        elif results is None:
            return
        elif shown is self.required:
            those = requirements(results, self.key, self._events)
            self.required.show_table(requirements_table(self.desk.study, those, self._accepted()))
        elif shown is self.all_ponds:
            self._side_by_side = [one for key in self._homes() for one in pond_events(results, key)]
            self.all_ponds.show_table(events_table(results, self._side_by_side))
        elif shown is self.events:
            self.events.show_table(events_table(results, self._events))
            self.events.choose_row(self._row_in_view())
        else:
            self._rows = pond_rows(results, self.key)
            self.cases.show_table(cases_table(results, self._rows))

    def _show_levels(self, pond: Pond) -> None:
        """The table by level, in the increment that is typed."""
        text, unit = self.increment.text().strip(), units.units_of("height", self.desk.study.units)[0]
        try:
            step = units.parse(text, "length", default=unit) if text else None
            self.levels.show_table(levels_table(self.desk.study, level_table(pond, step)))
        except TarnwaterError as error:
            self.desk.fault(error)

    def _accepted(self) -> list[Accepted]:
        """Doubts that were accepted, with their reasons."""
        known = self.desk.study.accepted
        found = [one for one in self.desk.findings if one.severity == "accepted"]
        reasons = {(one.code, one.element, one.condition): one.reason for one in known}
        return [
            (one.code, one.element, one.condition, reasons.get((one.code, one.element, one.condition), "a reason"))
            for one in found
        ]  # fmt: skip

    def _row_in_view(self) -> int:
        view = self.desk.view
        wanted = None if view is None else (view.condition, view.event)
        return next((n for n, one in enumerate(self._events) if (one.condition, one.event) == wanted), -1)

    # what is done

    @property
    def scope(self) -> str:
        """Condition that an edit of the pond applies to; empty for all of them."""
        return self.desk.scope_of(self.key)

    def _rounded(self, values: Mapping[str, float]) -> dict[str, float]:
        """Values rounded to the steps in which they are built."""
        pond, system = self.pond, self.desk.study.units
        assert pond is not None
        found = {}
        for path, value in values.items():
            described = description_at(pond, path)
            found[path] = value if described is None else rounded_to_step(value, step_of(described, path, system))
        return found

    def _try(self, values: Mapping[str, float], inside: tuple[int, str] | None) -> None:
        """Show what a drag would make of everything."""
        if self.pond is None:
            return
        rounded = self._rounded(values)
        if (rounded, inside) == (self._values, self._inside):
            return
        tried = self.desk.try_out(
            shape_pond, self.key, list(rounded.items()), inside, condition=self.scope, **self.desk.stamp()
        )
        if tried:
            self._values, self._inside = rounded, inside

    def _mean(self) -> None:
        """Make the edit that was tried."""
        self._meant.stop()
        values, inside, self._values, self._inside, self._moving = self._values, self._inside, {}, None, None
        if self.desk.trial is None:
            return
        self.desk.do(shape_pond, self.key, list(values.items()), inside, condition=self.scope, **self.desk.stamp())

    def _give_up(self) -> None:
        """Leave everything as it was before the drag."""
        self._meant.stop()
        self._values, self._inside, self._moving = {}, None, None
        self.desk.end_trial()

    def _step(self, what: PlacedGrip | PlacedDevice, steps: int) -> None:
        """Move what is chosen by steps of its rounding; it is meant when no further key comes."""
        pond = self.pond
        if pond is None:
            return
        moving = self._moving
        if moving is None or _known_by(moving.what) != _known_by(what):
            self._mean()
            moving = Moving(what, 0)
        moving = Moving(moving.what, moving.steps + steps)
        path, *_ = moving.what.changed(0.0) or {"": 0.0}
        described = description_at(pond, path) if path else None
        if described is None:
            return
        step = step_of(described, path, self.desk.study.units)
        here, there = moving.what.changed(0.0)[path], moving.what.changed(1e-3)[path]
        rate = (there - here) / 1e-3
        if rate:
            self._try(moving.what.changed(moving.steps * step / rate), None)
            self._moving = moving
            self._meant.start()

    def _enter(self, what: PlacedGrip | PlacedDevice) -> None:
        """Go to the value of what is chosen in the ledger."""
        path = next(iter(what.changed(0.0)), "")
        self.desk.select(self.key)
        self.desk.led_to.emit(f"{self.key}/{path}")

    def _remove(self, number: int) -> None:
        self.desk.do(edits.remove_part, self.key, f"devices/{number}", condition=self.scope, **self.desk.stamp())

    def _letter(self, letter: str) -> None:
        """A single letter on the section."""
        if letter in TOOLS:
            tag, words = TOOLS[letter]
            self.section.take_tool(tag)
            self.desk.say(f"Draw a {words} on the wall: from its lower left to its upper right. Esc leaves it.")
        elif letter == "a":
            self.offer_parts()
        elif letter == " ":
            self.player.turn()
        elif letter == "f":
            self.find_size()
        elif letter == "o":
            self.find_outlet()
        elif letter == "x":
            self.draw_out()
        elif letter == "s":
            self._turn_off()
        elif letter == "i":
            self._turn_inside()

    def draw_out(self) -> None:
        """Offer section and plan in each format of a file."""
        offered = []
        for what, make in (("section", self._section_drawing), ("plan", self._plan_drawing)):
            for suffix, words in FORMATS.items():
                act = partial(self._write_drawing, make, suffix)
                offered.append(Entry(f"{what.capitalize()} as {words}", f".{suffix}", act))
        Finder(self, offered, "Draw out …").open()

    def _write_drawing(self, make: Callable[[], Drawing | None], suffix: str) -> None:
        write_drawing(self, make(), suffix, self.desk.told.emit)

    def _section_drawing(self) -> Drawing | None:
        section = self.section.section
        if section is None:
            return None
        return replace(section.drawing, title=f"{section.drawing.title}, section")

    def _plan_drawing(self) -> Drawing | None:
        pond = self.pond
        return None if pond is None else pond_plan(pond, self.desk.study.units, self._lines(pond))

    @property
    def _point(self) -> str:
        """The design point below, whose limits are kept."""
        network = self.desk.network
        return point_below(network, self.key, [p for p in self.desk.study.design_points if p in network.elements])

    def find_size(self) -> None:
        """Open the search for one dimension: that of the chosen grip, or the first."""
        from tarnwater.desk.benches.works.sizing_dialog import SizingDialog

        if self.pond is not None:
            picked = self.section.picked
            path = next(iter(picked.changed(0.0)), "") if picked is not None else ""
            SizingDialog(self, self.desk, self.theme, self.key, self._point, path).open()

    def find_outlet(self) -> None:
        """Open the proposal of a whole outlet."""
        from tarnwater.desk.benches.works.outlet_dialog import OutletDialog

        if self.pond is not None:
            OutletDialog(self, self.desk, self.key, self._point).open()

    def _turn_off(self) -> None:
        """Switch the chosen device off, or on."""
        device, pond = self.section.device, self.pond
        if device is None or pond is None:
            self.desk.say("Choose a device first: click it, or press Tab.")
            return
        state = "open" if pond.devices[device.number].closed else "closed"
        path = f"devices/{device.number}/state"
        self.desk.do(edits.choose, self.key, path, state, condition=self.scope, **self.desk.stamp())

    def _turn_inside(self) -> None:
        """Put the chosen device into the next riser, or out of the last one."""
        device, pond = self.section.device, self.pond
        if device is None or pond is None:
            self.desk.say("Choose a device first: click it, or press Tab.")
            return
        path = f"devices/{device.number}/inside"
        names = list(pond.words_for(path, {}) or {})
        if len(names) < 2:
            self.desk.say("The pond has no other riser. R draws one.")
            return
        inside = names[(names.index(device.inside) + 1) % len(names)] if device.inside in names else names[0]
        self.desk.do(edits.choose, self.key, path, inside, condition=self.scope, **self.desk.stamp())

    def _draw(self, tag: str, low: tuple[float, float], size: tuple[float, float]) -> None:
        """Add a device of the size of a stroke on the wall."""
        pond, section = self.pond, self.section.section
        if pond is None or section is None or pond.store is None:
            return
        if low[0] < section.wall[0]:
            self.desk.told.emit("A device is drawn on the wall, to the right of the section. Draw it there.")
            return
        kind = kind_within(Pond.model_fields["devices"])
        assert kind is not None
        model = next(one for one in kind.choices() if one.tag() == tag)
        riser = section.riser_at((low[0] + size[0] / 2, low[1]))
        assert issubclass(model, Device)
        drawn = model.drawn(low[1], *size)
        named = pond.named_in("devices", model(**drawn))
        values = {name: rounded_to_step(value, 0.005) for name, value in drawn.items()}
        inside = "" if riser is None or isinstance(named, Riser) else riser.name
        self._add_part("devices", named.model_copy(update=values | {"inside": inside}))

    def _add_part(self, field: str, part: Any) -> None:
        self.desk.do(edits.add_part, self.key, field, part, condition=self.scope, **self.desk.stamp())

    def offer_parts(self) -> None:
        """Offer all forms of storage, all devices, zones, and an inlet by name."""
        told = "the rest goes by to what is below"
        inlet = Entry("Inlet that lets only so much in …", told, self.ask_inlet)
        self._offer_fields(("devices", "storage", "zones"), "Add …", [inlet, *self._dams()])

    def _dams(self) -> list[Entry]:
        """Lines of the map that may be dams: the storage behind each can be cut from the terrain."""
        desk = self.desk
        if desk.ground.drainage is None:
            return []
        told = "cut from the terrain behind this line of the map"
        features = desk.study.ground_features
        lines = {key: line_of(one, desk.file.blobs) for key, one in features.items()}
        return [
            Entry(f"Storage behind a dam along {features[key].name} …", told, partial(self.ask_dam, key))
            for key, line in lines.items()
            if len(line) > 1
        ]

    def ask_dam(self, feature: str) -> None:
        """Ask how high a dam along a line of the map is, and cut the storage behind it from the terrain."""
        desk, drainage = self.desk, self.desk.ground.drainage
        unit = units.units_of("height", desk.study.units)[0]
        name = desk.study.ground_features[feature].name
        asked = f"Height of the crest above the lowest ground under it, {unit}"
        text, taken = QInputDialog.getText(self, f"Dam along {name}", asked)
        pond = self.pond
        if not taken or drainage is None or pond is None:
            return
        try:
            line = line_of(desk.study.ground_features[feature], desk.file.blobs)
            dam = Dam(line, crest_above(drainage, line.tolist(), units.parse(text, "length", default=unit)))
            found = water_behind(drainage, pond, dam)
        except TarnwaterError as error:
            desk.fault(error)
            return
        done = desk.do(store_behind_dam, desk.file.blobs, drainage, self.key, dam, condition=self.scope, **desk.stamp())
        if done:
            held, earth = (units.show(v, "volume", desk.study.units) for v in (float(found.volumes[-1]), found.earth))
            desk.say(
                f"{held} are held below {units.show(dam.crest, 'height', desk.study.units)}; the dam takes {earth}."
            )

    def ask_inlet(self) -> None:
        """Ask how much the inlet of the pond lets in, and put it before the pond."""
        unit = units.units_of("flow", self.desk.study.units)[0]
        text, taken = QInputDialog.getText(self, "Inlet of the pond", f"Most that is let in, {unit}")
        if not taken:
            return
        try:
            capacity = units.parse(text, "flow", default=unit)
        except TarnwaterError as error:
            self.desk.fault(error)
            return
        key = self.key
        if self.desk.do(limit_inlet, key, capacity, condition=self.scope):
            self.desk.select(key)

    def offer_storage(self) -> None:
        """Offer the forms of storage."""
        self._offer_fields(("storage",), "Add storage …", self._dams())

    def _offer_fields(self, fields: tuple[str, ...], hint: str, others: Sequence[Entry] = ()) -> None:
        offered: list[Entry] = []
        for field in fields:
            kind = kind_within(Pond.model_fields[field])
            assert kind is not None
            offered += [Entry(one.title, one.equation, partial(self._make_part, field, one)) for one in kind.choices()]
        Finder(self, [*offered, *others], hint).open()

    def _make_part(self, field: str, model: Any) -> None:
        from tarnwater.desk.required import ask_needed
        from tarnwater.study.document import checked

        pond = self.pond
        if pond is None:
            return
        title = f"{model.title} of {pond.name}"
        asked = ask_needed(self, self.desk.study, model, title, pond.name, self.desk.told.emit)
        if asked is None:
            return
        try:
            made = checked(lambda: model(**asked), pond.name)
        except TarnwaterError as error:
            self.desk.fault(error)
            return
        self._add_part(field, pond.fitted_in(field, made))
        self.section.setFocus()

    def offer_copies(self) -> None:
        """Offer the outlet works of other ponds, or of this one in other conditions."""
        study, here = self.desk.study, self.pond
        offered = []
        for condition, one in study.conditions.items():
            for key, element in resolve(study, condition).elements.items():
                if isinstance(element, Pond) and element.devices and element.store is not None:
                    same = here is not None and key == self.key and element.devices == here.devices
                    if not same:
                        act = partial(self._copy_from, element)
                        offered.append(Entry(f"{element.name} in {one.name}", f"{len(element.devices)} devices", act))
        if not offered:
            self.desk.say("No other pond of the study has outlet works.")
            return
        Finder(self, offered, "Copy the works of …").open()

    def _copy_from(self, source: Pond) -> None:
        self.desk.do(copy_works, self.key, source, condition=self.scope, **self.desk.stamp())

    def _look_at_event(self, row: int) -> None:
        """Bring the case of a row into view: that of its highest level."""
        if 0 <= row < len(self._events):
            self._look_at_row(self._events[row].row)

    def _look_at_any(self, row: int) -> None:
        """Select the pond of a row, and bring its case into view."""
        if 0 <= row < len(self._side_by_side):
            one = self._side_by_side[row]
            self.desk.select(one.key)
            self._look_at_row(one.row)

    def _look_at_case(self, row: int) -> None:
        if 0 <= row < len(self._rows):
            self._look_at_row(self._rows[row])

    def _look_at_row(self, row: PondRow) -> None:
        case = row.case.case
        self.player.stop()
        self.desk.look_at(View(case.condition, case.point, case.event, case.storm.mark))


def _known_by(what: PlacedGrip | PlacedDevice) -> str:
    return what.key if isinstance(what, PlacedGrip) else f"devices/{what.number}"
