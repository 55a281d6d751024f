"""The ledger: values of the selected element, each with its unit, its mark and its reckoning."""

from __future__ import annotations

from functools import partial
from typing import Any

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QPushButton, QScrollArea, QVBoxLayout, QWidget

from tarnwater import units
from tarnwater.desk.desk import Desk
from tarnwater.desk.ledger.contents import (
    GROUPS,
    Item,
    alternatives_at,
    contents_of,
    cover_options,
    title_of,
    with_cover,
)
from tarnwater.desk.ledger.marks import LEGEND
from tarnwater.desk.ledger.reckoning_view import ReckoningView
from tarnwater.desk.ledger.rows import ChoiceRow, FigureRow, Row, SettingRow, TableRow, TextRow
from tarnwater.desk.ledger.table_dialog import TableDialog
from tarnwater.desk.ledger.wrapping import Wrapped
from tarnwater.desk.required import ask_needed
from tarnwater.desk.widgets.finder import Entry, Finder
from tarnwater.desk.widgets.labels import Words, rule
from tarnwater.errors import TarnwaterError
from tarnwater.methods import Method, kind_within
from tarnwater.network.elements import Catchment, Element, Surface, impervious_land
from tarnwater.routing.ponds import StorageForm
from tarnwater.routing.works import Device
from tarnwater.study import edits
from tarnwater.study.answers.figures import case_title, figure_names, figures_of, shown_figure
from tarnwater.study.answers.land import LAND_FIGURES, land_figure
from tarnwater.study.document import checked
from tarnwater.study.document.fields import columns_at, options_at, value_at

WIDTH = 340


class Ledger(QWidget):
    """Editors made from the descriptions of the parameters; a click on a mark, or F1, opens the reckoning."""

    def __init__(self, desk: Desk) -> None:
        super().__init__()
        self.setAccessibleName("Ledger")
        self.setFixedWidth(WIDTH)
        self._desk = desk
        self._key = ""
        self._items: list[Item] = []
        self._rows: dict[str, Row] = {}
        self._body: QWidget | None = None
        self._figure_box = QWidget(self)
        self._figure_box.hide()
        self._asked = ""
        self._figures: dict[str, tuple[float | None, str]] = {}
        self._name = Words("", bold=True, size=12)
        self._name.setWordWrap(True)
        self._kind = Words("", quiet=True)
        self._kind.setWordWrap(True)
        self.scope = QPushButton()
        self.scope.setProperty("flat", True)
        self.scope.setAccessibleName("Which condition an edit changes")
        self.scope.setToolTip("F6: edits apply to all conditions, or only to the one in view")
        self.scope.clicked.connect(desk.turn_scope)
        self._message = Words("", role="stop")
        self._message.setWordWrap(True)
        self._message.hide()
        self._case = Wrapped("", quiet=True, size=8)
        self._scroll = QScrollArea()
        self._scroll.setWidgetResizable(True)
        self._scroll.setFrameShape(QScrollArea.Shape.NoFrame)
        self._scroll.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self._scroll.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(14, 6, 4, 4)
        layout.setSpacing(2)
        for widget in (self._name, self._kind, self.scope, self._message):
            layout.addWidget(widget)
        layout.addWidget(self._scroll, 1)
        layout.addWidget(rule())
        layout.addWidget(Wrapped(LEGEND, quiet=True, size=8))
        desk.drafts.append(self._undo_draft)

    def _undo_draft(self) -> str:
        """Discard the draft of a field; returns its label, or an empty text."""
        row = next((r for r in self._setting_rows() if r.field.has_draft), None)
        if row is None:
            return ""
        words = f"type {row.field.text()!r} in {row.field.accessibleName()}"
        row.field.give_up()
        return words

    def tell(self, message: str) -> None:
        """Show an error beside the values."""
        self._message.setText(message)
        self._message.setVisible(bool(message))

    def refresh(self) -> None:
        """Show the selected element again; fields that are still there only get their values."""
        desk = self._desk
        study = desk.study
        scope = study.conditions[desk.edits_in].name if desk.edits_in else ""
        self.scope.setText(f"edits apply only to {scope}   F6" if scope else "edits apply to all conditions   F6")
        if self.scope.property("here") != bool(scope):
            self.scope.setProperty("here", bool(scope))
            self._restyle(self.scope)
        self._key = desk.selection
        element = desk.elements.get(self._key)
        known = study.all_elements.get(self._key)
        self._name.setText("Nothing is selected" if known is None else known.name)
        self._kind.setText(self._told(known, there=element is not None))
        items = [] if element is None else contents_of(desk, self._key)
        if items != self._items or not self._rows or any(r.element != self._key for r in self._setting_rows()):
            self._build(items)
        case = desk.case_showing(self._key)
        self._figures, self._shown = {}, case
        if desk.results is not None and case is not None:
            self._figures = {name: (v, kind) for name, v, kind in figures_of(desk.results, case, self._key)}
        for row in self._rows.values():
            row.refresh()
        if desk.results is not None and case is not None:
            self._case.setText(f"in {case_title(desk.results, case, self._key)}")
        self._answer()

    def _setting_rows(self) -> list[SettingRow]:
        return [row for row in self._rows.values() if isinstance(row, SettingRow)]

    @staticmethod
    def _restyle(widget: QWidget) -> None:
        style = widget.style()
        if style is not None:
            style.unpolish(widget)
            style.polish(widget)

    def _told(self, element: Element | None, *, there: bool) -> str:
        study = self._desk.study
        if element is None:
            if study.elements:
                return "Click an element, or find it with Ctrl+K."
            return "Insert adds a catchment." if study.terrain is None else "O on the map drops an outlet."
        if not there:
            return f"{element.tag()} · not in {study.conditions[self._desk.condition].name}"
        down = [study.name_of(link.down) for link in self._desk.network.links.values() if link.up == self._key]
        told = f"{element.tag()} · " + (f"drains to {' and '.join(down)}" if down else "nothing below")
        if isinstance(element, Catchment):
            return told
        return f"{told} · {units.show(self._desk.network.area_above(self._key), 'area', study.units)} above"

    def _build(self, items: list[Item]) -> None:
        """Make a row for each item; the settings stay where only the figures above them are others."""
        first = next((n for n, item in enumerate(items) if item.kind != "figure" and item.key != "figures"), len(items))
        figures, settings = items[:first], items[first:]
        before = [item for item in self._items if item.kind != "figure" and item.key != "figures"]
        same = all(row.element == self._key for row in self._setting_rows())
        kept = self._rows if before == settings and self._rows and same and self._body is not None else None
        self._items = items
        rows: dict[str, Row] = {}
        box = self._block(figures, rows)
        if kept is None:
            self._rows = rows
            self._build_all(box, settings)
            return
        assert self._body is not None
        self._rows = rows | {name: row for name, row in kept.items() if not name.startswith("figure ")}
        column = self._body.layout()
        assert isinstance(column, QVBoxLayout)
        old = column.replaceWidget(self._figure_box, box)
        if old is not None and (gone := old.widget()) is not None:
            gone.hide()
            gone.deleteLater()
        self._figure_box = box

    def _build_all(self, box: QWidget, settings: list[Item]) -> None:
        """Make all of it anew. The old rows are kept for a moment: the field just left may still be active."""
        body = QWidget()
        column = QVBoxLayout(body)
        column.setContentsMargins(0, 2, 6, 0)
        column.setSpacing(2)
        column.addWidget(box)
        column.addWidget(self._block(settings, self._rows))
        column.addStretch(1)
        self._body, self._figure_box = body, box
        old = self._scroll.takeWidget()
        self._scroll.setWidget(body)
        if old is not None:
            old.deleteLater()

    def _block(self, items: list[Item], rows: dict[str, Row]) -> QWidget:
        """Some lines of the ledger one under the other; those that show something are added to ``rows``."""
        block = QWidget()
        column = QVBoxLayout(block)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(2)
        for item in items:
            if item.kind == "heading":
                column.addSpacing(5)
                if item.key == "figures":
                    self._case = Wrapped("", quiet=True, size=8)
                    column.addWidget(self._case)
                else:
                    column.addWidget(Words(item.words, quiet=True, size=8))
                column.addWidget(rule())
            elif item.kind in ("add surface", "add impervious", "part land", "add part", "remove part"):
                column.addWidget(self._button(item))
            else:
                row = self._row(item)
                rows[f"{item.kind} {item.key}"] = row
                column.addWidget(row)
        return block

    def _row(self, item: Item) -> Row:
        desk, key = self._desk, self._key
        owner = desk.elements[key].name
        if item.kind == "figure":
            return FigureRow(item.key, partial(self._figure, item.key), self.ask)
        if item.kind == "land":
            return FigureRow(item.words, partial(self._land_figure, item.key), self.ask, item.key)
        if item.kind == "table":
            return TableRow(item.words, owner, lambda: self._rows_of(item.key), lambda: self._open_table(item.key))
        if item.kind == "setting":
            return SettingRow(desk, key, item.key, self.ask, self.tell)
        if item.kind in ("choice", "loss of all"):
            return self._method_row(item, owner)
        if item.kind == "option":
            words = options_at(desk.elements[key], item.key)
            assert words is not None
            own = desk.elements[key].words_for(item.key, self._below)
            if own is not None:
                return ChoiceRow(
                    item.words, owner, [(told, word) for word, told in own.items()], lambda: self._value(item.key),
                    lambda word: desk.choose(key, item.key, word),
                )  # fmt: skip
            if not words.among():
                return TextRow(
                    item.words,
                    owner,
                    lambda: self._value(item.key),
                    lambda text: self._write(item.key, text),
                    self.tell,
                )
            return ChoiceRow(
                item.words, owner, [(word or "none", word) for word in words.among()], lambda: self._value(item.key),
                lambda word: desk.choose(key, item.key, word),
            )  # fmt: skip
        if item.kind == "cover":
            return ChoiceRow(
                "cover", owner, cover_options(), lambda: getattr(self._value(item.key), "title", None),
                lambda title: desk.choose(key, item.key, with_cover(self._value(item.key), title=title)),
            )  # fmt: skip
        return ChoiceRow(
            "soil group", owner, [(g, g) for g in GROUPS], lambda: getattr(self._value(item.key), "group", None),
            lambda group: desk.choose(key, item.key, with_cover(self._value(item.key), group=group)),
        )  # fmt: skip

    @property
    def _below(self) -> dict[str, str]:
        """Elements below the selected one, key to name."""
        study = self._desk.study
        return {key: study.name_of(key) for key in self._desk.network.downstream.get(self._key, ())}

    def _value(self, path: str) -> Any:
        return value_at(self._desk.elements[self._key], path)

    def _method_row(self, item: Item, owner: str) -> Row:
        desk, key = self._desk, self._key
        models = alternatives_at(desk.elements[key], item.key)

        def choose(model: type) -> None:
            if model is type(self._value(item.key)):
                return
            from tarnwater.study.edits.cover import choose_loss

            made = self._made(model, owner, self._value(item.key))
            if made is None or not (
                desk.do(choose_loss, key, made, condition=desk.scope_of(key))
                if item.kind == "loss of all"
                else desk.choose(key, item.key, made)
            ):
                self._rows[f"{item.kind} {item.key}"].refresh()

        options = [(title_of(model), model) for model in models]
        return ChoiceRow(item.words, owner, options, lambda: type(self._value(item.key)), choose)

    def _rows_of(self, holder: str) -> int:
        """Number of rows of the table of a holder."""
        return max(len(values) for _, values in columns_at(self._desk.elements[self._key], holder).values())

    def _open_table(self, holder: str) -> None:
        TableDialog(self, self._desk, self._key, holder).open()

    def _made(self, model: type, owner: str, instead_of: Any = None) -> Any | None:
        """A method, with what it requires asked first; None where the person cancels.

        One that stands in the place of a part keeps what both have.
        """
        title = f"{title_of(model)} of {owner}"
        asked = ask_needed(self, self._desk.study, model, title, owner, self.tell)
        if asked is None:
            return None
        if isinstance(instead_of, Device | StorageForm):
            held = {name: getattr(instead_of, name) for name in type(instead_of).model_fields if name != "method"}
            alike = {name: value for name, value in held.items() if name in model.model_fields}  # type: ignore[attr-defined]
            asked = {**alike, **asked}
        try:
            return checked(lambda: model(**asked), owner)
        except TarnwaterError as error:
            self.tell(str(error))
            return None

    def _write(self, path: str, text: str) -> str:
        """Put a text at a path; returns the error text, empty if it is taken."""
        try:
            edits.choose(self._desk.study, self._key, path, text)
        except TarnwaterError as error:
            return str(error)
        return "" if self._desk.choose(self._key, path, text) else "the edit was refused."

    def _button(self, item: Item) -> QPushButton:
        button = QPushButton(item.words)
        button.setProperty("flat", True)
        button.setProperty("small", True)
        button.setAccessibleName(f"{item.words} {item.key}")
        acts = {"add part": self._add_part, "remove part": self._remove_part}
        button.clicked.connect(lambda: acts.get(item.kind, self._change_surfaces)(item))
        return button

    def _remove_part(self, item: Item) -> None:
        desk = self._desk
        desk.do(edits.remove_part, self._key, item.key, condition=desk.scope_of(self._key), **desk.stamp())

    def _add_part(self, item: Item) -> None:
        """Offer the forms of a part; the chosen one is added with its usual sizes, what it requires is asked first."""
        kind = kind_within(type(self._desk.elements[self._key]).model_fields[item.key])
        assert kind is not None
        offered = [Entry(one.title, one.equation, partial(self._make_part, item.key, one)) for one in kind.choices()]
        Finder(self, offered, item.words).open()

    def _make_part(self, field: str, model: type[Method]) -> None:
        desk, key = self._desk, self._key
        made = self._made(model, desk.elements[key].name)
        if made is not None:
            made = desk.elements[key].fitted_in(field, made)
            desk.do(edits.add_part, key, field, made, condition=desk.scope_of(key), **desk.stamp())

    def _change_surfaces(self, item: Item) -> None:
        element = self._desk.elements[self._key]
        assert isinstance(element, Catchment)
        surfaces = element.surfaces
        if item.kind == "part land":
            from tarnwater.study.edits.cover import set_land

            self._desk.do(set_land, self._key, None, condition=self._desk.scope_of(self._key))
            return
        if item.kind == "add impervious":
            surfaces = (*surfaces, impervious_land())
        else:
            names = {s.name for s in surfaces}
            name = next(f"surface {n}" for n in range(1, 99) if f"surface {n}" not in names)
            # one surface takes the remainder; beside it a new one has nothing until its share is typed
            taken = any(surface.takes_remainder for surface in surfaces)
            surfaces = (*surfaces, Surface(name=name, share=0.0) if taken else Surface(name=name))
        self._desk.choose(self._key, "surfaces", surfaces)

    def _figure(self, name: str) -> str:
        value, kind = self._figures.get(name, (None, ""))
        return "" if value is None else shown_figure(value, kind, self._desk.study.units, self._shown)

    def _land_figure(self, asked: str) -> str:
        """A figure of cover and soil; its reckoning has the same number."""
        desk = self._desk
        value = land_figure(desk.study, desk.network, self._key, asked)
        return "–" if value is None else units.show(value, LAND_FIGURES[asked], desk.study.units)

    # asking

    def ask(self, asked: str) -> None:
        """Open the reckoning of a figure or a setting of the selected element; if it is open, close it."""
        self._asked = "" if self._asked == asked else asked
        self._answer()
        row = self._row_asked()
        if row is not None and self._asked:
            self._scroll.ensureWidgetVisible(row)

    @property
    def answer(self) -> ReckoningView | None:
        """The reckoning that is shown."""
        found = next((r.answer for r in self._rows.values() if r.answer is not None), None)
        return found if isinstance(found, ReckoningView) else None

    def _row_asked(self) -> Row | None:
        return next((r for r in self._rows.values() if r.asked == self._asked), None) if self._asked else None

    def _answer(self) -> None:
        wanted = self._row_asked()
        for row in self._rows.values():
            if row is wanted:
                row.show_answer(self._reckoning())
            elif row.answer is not None:
                row.show_answer(None)

    def _reckoning(self) -> QWidget:
        from tarnwater.study.reckonings import explain, explain_setting

        desk, asked = self._desk, self._asked
        case = desk.case_showing(self._key)
        try:
            if asked in figure_names():
                if desk.results is None or case is None:
                    return Wrapped("not computed", size=8, quiet=True)
                node = explain(desk.study, case, self._key, asked, results=desk.results)
            else:
                node = explain_setting(desk.study, desk.condition, self._key, asked)
        except TarnwaterError as error:
            return Wrapped(str(error), size=8, role="stop")
        return ReckoningView(node, desk.study.units, desk.led_to.emit)

    def turn_to_another(self) -> None:
        """Show another element; an open reckoning of a figure stays open."""
        if self._asked not in figure_names():
            self._asked = ""
        self.tell("")
        self.refresh()

    def go_to_first(self) -> None:
        """Move the keyboard focus to the first field, in sight."""
        first = next(iter(self._setting_rows()), None)
        if first is not None:
            self.go_to(first.path)

    def go_to(self, path: str) -> bool:
        """Move the keyboard focus to the field of a path; returns whether it is there."""
        row = self._rows.get(f"setting {path}")
        if not isinstance(row, SettingRow):
            return False
        self._scroll.ensureWidgetVisible(row)
        row.field.setFocus()
        row.field.selectAll()
        return True
