"""The form of a storm family: return periods, durations and pattern."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import QComboBox, QGridLayout, QHBoxLayout, QPushButton, QSlider, QWidget

from tarnwater import units
from tarnwater.desk.desk import Desk
from tarnwater.desk.theme import LIGHT, desk_font
from tarnwater.desk.widgets.drag_words import DragWords
from tarnwater.desk.widgets.labels import Words
from tarnwater.desk.widgets.quantity_field import QuantityField
from tarnwater.errors import TarnwaterError
from tarnwater.parameters import Setting, Typed
from tarnwater.rain.patterns import Pattern, variants
from tarnwater.rain.storms import StormFamily
from tarnwater.study import edits
from tarnwater.study.document import checked
from tarnwater.study.edits import slug

AREAL = (("none", "none"), ("Leclerc and Schaake (1972)", "leclerc-schaake"), ("typed curve …", "typed curve"))
COUNTS = (("counted: gives the answers", True), ("beside: shown only", False))

#: Steps of the slider of the peak's place.
SLIDER_STEPS = 100

#: A step of a drag of the climate factor and of the dry times (s), and the longest dry time (s).
CLIMATE_STEP, DRY_STEP, MOST_DRY = 0.01, 300.0, 30 * 86400.0

#: Acts on single figures of a family.
ACTS = {
    "climate": "change the climate factor",
    "lead": "change the dry time before the rain",
    "tail": "change the dry time after the rain",
}


class FamilyForm(QWidget):
    """Leaving a field makes the edit; text that cannot be read stays, with the reason."""

    #: A family that is tried while something of it is dragged.
    tried = pyqtSignal(object)

    def __init__(self, desk: Desk) -> None:
        super().__init__()
        self.desk = desk
        self.key = ""
        self._message = Words("", role="stop", size=8.5)
        self._message.setWordWrap(True)
        self._which = self._box("Storm family", self._turn_to)
        self.periods = self._field("Return periods", lambda t: self._read_list("return_periods", t, "return period"))
        self.durations = self._field("Durations", lambda t: self._read_list("durations", t, "time"))
        self.pattern = self._box("Pattern", self._choose_pattern)
        self.areal = self._box("Areal reduction", self._choose_areal)
        self.name = self._field("Name of the family", self._read_name)
        self.counts = self._box("Whether the family is counted", self._choose_counts)
        self.rule = self._field("Rule that prescribes the family", self._read_rule)
        self.rule.setPlaceholderText("by rule …")
        self.rule.setToolTip("the source of a rule that fixes durations and pattern; no duration is searched for then")
        for words, counted in COUNTS:
            self.counts.addItem(words, counted)
        self._patterns: list[tuple[str, Pattern]] = [(words, pattern) for _, words, pattern in variants()]
        self.table = self._box("Depths of the family", self._choose_table)
        self.climate = self._field("Climate factor", self._read_climate)
        self.lead = self._field("Dry time before the rain", lambda t: self._read_dry("lead", t))
        self.tail = self._field("Dry time after the rain", lambda t: self._read_dry("tail", t))
        for words, method in AREAL:
            self.areal.addItem(words, method)
        self.slider = QSlider(Qt.Orientation.Horizontal)
        self.slider.setRange(0, SLIDER_STEPS)
        self.slider.setAccessibleName("Place of the peak in the storm")
        self.slider.valueChanged.connect(self._slid)
        self.slider.sliderReleased.connect(lambda: self.drop_peak(self.slider.value() / SLIDER_STEPS))
        self.peak = self._field("Place of the peak", self._read_peak)
        self.peak.setFixedWidth(64)
        self.new = QPushButton("Another family")
        self.new.setAccessibleName("Make another storm family")
        self.new.clicked.connect(self._add)
        self.gone = QPushButton("Remove")
        self.gone.setAccessibleName("Remove the storm family")
        self.gone.clicked.connect(self._remove)
        self._count = Words("", quiet=True, size=8.5)
        self._count.setWordWrap(True)
        self._over = Words("durations", quiet=True, size=8.5)
        self._lay_out()

    def _lay_out(self) -> None:
        grid = QGridLayout(self)
        grid.setContentsMargins(0, 0, 0, 0)
        grid.setVerticalSpacing(3)
        peak = QHBoxLayout()
        peak.addWidget(self.slider, 1)
        peak.addWidget(self.peak)
        counts = QHBoxLayout()
        counts.addWidget(self.counts, 1)
        counts.addWidget(self.rule, 1)
        areal, climate = QHBoxLayout(), QHBoxLayout()
        climate.setSpacing(8)
        areal.addWidget(self.areal, 1)
        self._table_words = Words("depths", quiet=True, size=8.5)
        areal.addWidget(self._table_words)
        areal.addWidget(self.table, 1)
        climate.addWidget(self.climate, 1)
        climate.addWidget(self._handle("dry before", "lead", self.lead))
        climate.addWidget(self.lead, 1)
        climate.addWidget(self._handle("and after", "tail", self.tail))
        climate.addWidget(self.tail, 1)
        head = QHBoxLayout()
        head.addWidget(self._which, 1)
        head.addWidget(self.name, 1)
        rows: list[tuple[str | QWidget, Any]] = [
            ("family and name", head), ("return periods, years", self.periods), ("pattern", self.pattern),
            (self._over, self.durations), ("peak at", peak), ("areal reduction", areal),
            (self._handle("climate factor", "climate", self.climate), climate),
            ("counts", counts),
        ]  # fmt: skip
        for number, (words, part) in enumerate(rows):
            grid.addWidget(words if isinstance(words, QWidget) else Words(words, quiet=True, size=8.5), number, 0)
            if isinstance(part, QWidget):
                grid.addWidget(part, number, 1)
            else:
                grid.addLayout(part, number, 1)
        grid.addWidget(self._count, len(rows), 1)
        grid.addWidget(self._message, len(rows) + 1, 0, 1, 2)
        grid.setColumnStretch(1, 1)

    def _box(self, name: str, chosen: Callable[[int], None]) -> QComboBox:
        box = QComboBox()
        box.setAccessibleName(name)
        box.setFont(desk_font(9))
        box.activated.connect(chosen)
        return box

    def _handle(self, words: str, which: str, field: QuantityField) -> DragWords:
        """Words that change the figure of a field while they are dragged."""
        handle = DragWords(words, f"Drag the {words}")
        handle.dragged.connect(lambda steps: self._try(which, field, steps))
        handle.dropped.connect(lambda steps: self._drop(which, field, steps))
        return handle

    def _moved(self, which: str, steps: int) -> float | None:
        """A figure of the family after some steps of a drag, within what it may be."""
        family = self.family
        if family is None:
            return None
        if which == "climate":
            return min(max(round(family.climate + CLIMATE_STEP * steps, 4), CLIMATE_STEP), 10.0)
        dry = family.lead if which == "lead" else family.tail
        return min(max(dry + DRY_STEP * steps, 0.0), MOST_DRY)

    def _try(self, which: str, field: QuantityField, steps: int) -> None:
        moved, family = self._moved(which, steps), self.family
        if moved is None or family is None:
            return
        field.show_value(f"{moved:g}" if which == "climate" else units.show_duration(moved))
        self.tried.emit(family.model_copy(update={which: moved}))

    def _drop(self, which: str, field: QuantityField, steps: int) -> None:
        moved = self._moved(which, steps)
        if moved is None or self.family is None or moved == getattr(self.family, which):
            return
        self._tell(self._change(ACTS[which], **{which: moved}))

    def _field(self, name: str, commit: Callable[[str], str]) -> QuantityField:
        field = QuantityField("", commit, self._tell, name)
        field.setAlignment(Qt.AlignmentFlag.AlignLeft)
        return field

    def _tell(self, message: str) -> None:
        self._message.setText(message)

    @property
    def family(self) -> StormFamily | None:
        """The family that is shown."""
        return self.desk.study.families.get(self.key)

    def refresh(self) -> None:
        """Show the present family."""
        families = self.desk.study.families
        if self.key not in families:
            self.key = next(iter(families), "")
        family = self.family
        self.setEnabled(bool(self.desk.study.tables))
        self._which.clear()
        for key, one in families.items():
            self._which.addItem(one.name, key)
        self._which.setCurrentIndex(self._which.findData(self.key))
        self.gone.setEnabled(family is not None)
        for widget in (
            self.periods, self.durations, self.pattern, self.slider, self.peak, self.areal, self.name, self.counts,
            self.rule, self.table, self.climate, self.lead, self.tail,
        ):  # fmt: skip
            widget.setEnabled(family is not None)
        if family is None:
            self._count.setText("The first depth table makes a family; more can be added.")
            return
        self.periods.show_value(", ".join(f"{t:g}" for t in family.return_periods))
        self.name.show_value(family.name)
        self.rule.show_value(family.source if family.prescribed else "")
        self.counts.setCurrentIndex(self.counts.findData(family.counted))
        self.durations.show_value(", ".join(units.show_duration(d) for d in family.tried))
        nested = family.pattern.nested
        self._over.setText("length of the storms" if nested else "durations")
        self.durations.setAccessibleName("Length of the storms" if nested else "Durations")
        self._show_patterns(family.pattern)
        self._show_tables(family)
        self.climate.show_value(f"{family.climate:g}")
        self.lead.show_value(units.show_duration(family.lead))
        self.tail.show_value(units.show_duration(family.tail))
        self.areal.setCurrentIndex(self.areal.findData(family.areal.method))
        self._show_peak(family)
        self._count.setText(told_of(family))

    def _show_patterns(self, own: Pattern) -> None:
        """All patterns, with the own one where it is typed, and the way to type others."""
        # one whose peak was moved is still the pattern that was chosen
        chosen = [i for i, (_, p) in enumerate(self._patterns) if p.with_peak(0.5) == own.with_peak(0.5)]
        self.pattern.clear()
        for words, pattern in self._patterns:
            self.pattern.addItem(words, pattern)
        if not chosen:
            names = f"ensemble of {own.members} patterns" if own.members > 1 else own.label
            self.pattern.addItem(names, own)
        self.pattern.addItem("type, open or cut patterns …", None)
        self.pattern.setCurrentIndex(chosen[0] if chosen else len(self._patterns))

    def _show_tables(self, family: StormFamily) -> None:
        tables = self.desk.study.tables
        self.table.clear()
        for key in tables:
            self.table.addItem(key, key)
        self.table.setCurrentIndex(self.table.findData(family.table))
        for widget in (self.table, self._table_words):
            widget.setVisible(len(tables) > 1)

    def _show_peak(self, family: StormFamily) -> None:
        position = family.pattern.peak
        self.slider.setEnabled(position is not None)
        self.peak.setEnabled(position is not None)
        self.show_peak(position)

    def show_peak(self, position: float | None) -> None:
        """Show a position of the peak while it is dragged."""
        if position is None:
            self.peak.show_value("")
            return
        if not self.slider.isSliderDown():
            self.slider.blockSignals(True)
            self.slider.setValue(round(position * SLIDER_STEPS))
            self.slider.blockSignals(False)
        self.peak.show_value(f"{position:.4g}")

    def _change(self, act: str, **fields: Any) -> str:
        """Change the family in the study; returns the error text, empty if there is none."""
        family = self.family
        if family is None:
            return ""
        data = {name: getattr(family, name) for name in StormFamily.model_fields} | fields
        try:
            changed = checked(lambda: StormFamily(**data), family.name)
        except TarnwaterError as error:
            return str(error)
        return "" if self.desk.do(edits.change_family, self.key, changed, act) else "the edit was refused."

    def _read_name(self, text: str) -> str:
        return self._change(f"rename the family to {text.strip()}", name=text.strip())

    def _read_rule(self, text: str) -> str:
        act = (
            "set the rule that prescribes the family" if text.strip() else "remove the rule that prescribes the family"
        )
        return self._change(act, prescribed=bool(text.strip()), source=text.strip())

    def _choose_counts(self, number: int) -> None:
        counted = COUNTS[number][1]
        act = "count the family" if counted else "do not count the family"
        self._tell(self._change(act, counted=counted))

    def _read_length(self, text: str) -> str:
        """Read the length of nested storms; empty text clears it, so that it is derived from the table."""
        try:
            length = Setting[float]() if not text.strip() else Setting[float](
                typed=Typed[float](value=units.parse(text, "time", default="h"), **self.desk.stamp())
            )  # fmt: skip
        except TarnwaterError as error:
            return str(error)
        return self._change("change the length of the storms", length=length)

    def _read_list(self, name: str, text: str, kind: str) -> str:
        if name == "durations" and self.family is not None and self.family.pattern.nested:
            return self._read_length(text)
        try:
            values = sorted(set(units.listed(text.replace(";", ","), kind)))
        except TarnwaterError as error:
            return str(error)
        words = name.replace("_", " ")
        if not values:
            return f"A family needs {words}: type them with commas between."
        return self._change(f"change the {words}", **{name: tuple(values)})

    def _read_peak(self, text: str) -> str:
        try:
            position = units.parse(text, "share", default="")
            if self.family is not None:
                self.family.pattern.with_peak(position)
        except TarnwaterError as error:
            return str(error)
        return self.drop_peak(position)

    def _slid(self, value: int) -> None:
        position = value / SLIDER_STEPS
        self.peak.show_value(f"{position:.4g}")
        self.try_peak(position)
        if not self.slider.isSliderDown():
            self.drop_peak(position)

    def try_peak(self, position: float) -> None:
        """Show the storms with their peak at a place while it is dragged."""
        family = self.family
        if family is not None:
            moved = family.pattern.with_peak(min(max(position, 0.0), 1.0))
            self.tried.emit(family.model_copy(update={"pattern": moved}))

    def drop_peak(self, position: float) -> str:
        """Put the peak of all storms at a place."""
        family = self.family
        if family is None or family.pattern.peak is None:
            return ""
        pattern = family.pattern.with_peak(round(min(max(position, 0.0), 1.0), 4))
        wrong = self._change("move the peak of the storms", pattern=pattern)
        self._tell(wrong)
        return wrong

    def _choose_pattern(self, number: int) -> None:
        pattern = self.pattern.itemData(number)
        if pattern is not None:
            self._tell(self._change("choose the pattern of the storms", pattern=pattern))
        elif self.family is not None:
            self.ask_patterns()

    def ask_patterns(self) -> None:
        """Type, open or cut patterns, or take kept ones."""
        from tarnwater.desk.benches.rain.pattern_dialog import PatternDialog

        family = self.family
        assert family is not None
        asked = PatternDialog(self, self.desk, LIGHT, family.pattern.curves_of_it)
        asked.accepted.connect(lambda: self._tell(self._change("choose typed patterns", pattern=asked.pattern)))
        asked.finished.connect(lambda _: self.refresh())
        asked.open()

    def _choose_table(self, number: int) -> None:
        self._tell(self._change("choose the depths of the family", table=self.table.itemData(number)))

    def _read_climate(self, text: str) -> str:
        try:
            return self._change(ACTS["climate"], climate=units.parse(text or "1", "factor"))
        except TarnwaterError as error:
            return str(error)

    def _read_dry(self, which: str, text: str) -> str:
        try:
            seconds = units.parse(text or "0", "time", default="h")
        except TarnwaterError as error:
            return str(error)
        return self._change(ACTS[which], **{which: seconds})

    def _choose_areal(self, number: int) -> None:
        family = self.family
        if family is None:
            return
        if AREAL[number][1] == "typed curve":
            self.ask_areal_curve(family)
            return
        # a typed curve stays at hand while another reduction is chosen
        areal = family.areal.model_copy(update={"method": AREAL[number][1]})
        self._tell(self._change("choose the areal reduction", areal=areal))

    def ask_areal_curve(self, family: StormFamily) -> None:
        """Type, paste or open a curve of areal reduction."""
        from tarnwater.desk.benches.rain.areal_dialog import ArealDialog

        def keep() -> None:
            areal = family.areal.model_copy(update={"method": "typed curve", "curve": asked.curve})
            self._tell(self._change("choose a typed curve of areal reduction", areal=areal))

        asked = ArealDialog(self, self.desk, LIGHT, family.areal.curve)
        asked.accepted.connect(keep)
        asked.finished.connect(lambda _: self.refresh())
        asked.open()

    def _turn_to(self, number: int) -> None:
        self.key = self._which.itemData(number)
        self.refresh()

    def _add(self) -> None:
        study = self.desk.study
        names = {f.name for f in study.families.values()}
        name = next(f"Storms {n}" for n in range(1, len(names) + 2) if f"Storms {n}" not in names)
        key = slug(name, study.families)
        table_key = self.family.table if self.family is not None else next(iter(study.tables))
        table = study.tables[table_key]
        periods = edits.readable_periods(table)
        family = StormFamily(name=name, table=table_key, return_periods=periods, durations=table.own_durations)
        if self.desk.do(edits.change_family, key, family, f"add the family {name}"):
            self.key = key
            self.refresh()

    def _remove(self) -> None:
        self.desk.do(edits.remove_family, self.key)


def told_of(family: StormFamily) -> str:
    """Description of the storms of a family, in words."""
    count = len(family.return_periods)
    if family.pattern.nested:
        told = f"{count} storms, each holding all shorter ones; those of half and twice the length are computed beside"
    else:
        storms = count * len(family.durations) * family.pattern.members
        of = f" × {family.pattern.members} patterns" if family.pattern.members > 1 else ""
        told = f"{count} return periods × {len(family.durations)} durations{of}: {storms} storms"
    return f"{told} · prescribed: no duration is searched for" if family.prescribed else told
